import { t } from '@lingui/core/macro'
import { Tabs } from '../../parts/tabs'

/** All units, and the fleet by what fails next. */
export function UnitTabs() {
  return (
    <Tabs
      label={t`Units`}
      tabs={[
        { to: '/units', word: t`Units` },
        { to: '/fleet', word: t`Fleet` },
      ]}
    />
  )
}
