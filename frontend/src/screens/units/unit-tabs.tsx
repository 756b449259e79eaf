import { Tabs } from '../../parts/tabs'

/** All units, and the fleet by what fails next. */
export function UnitTabs() {
  return (
    <Tabs
      label="Units"
      tabs={[
        { to: '/units', word: 'Units' },
        { to: '/fleet', word: 'Fleet' },
      ]}
    />
  )
}
