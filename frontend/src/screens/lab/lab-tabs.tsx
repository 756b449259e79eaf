import { Tabs } from '../../parts/tabs'

const LAB = [
  { to: '/lab', word: 'Start lab' },
  { to: '/bench', word: 'Practice' },
]

/** Starts that are computed, and calls that are practised: two views of a unit that is not there. */
export function LabTabs() {
  return <Tabs label="Lab and practice" tabs={LAB} />
}
