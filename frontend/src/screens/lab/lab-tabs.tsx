import { t } from '@lingui/core/macro'
import { Tabs } from '../../parts/tabs'

const LAB = [
  { to: '/lab', word: t`Start lab` },
  { to: '/bench', word: t`Practice` },
]

/** Starts that are computed, and calls that are practised: two views of a unit that is not there. */
export function LabTabs() {
  return <Tabs label={t`Lab and practice`} tabs={LAB} />
}
