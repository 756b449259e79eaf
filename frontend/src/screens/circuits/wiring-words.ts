import { t } from '@lingui/core/macro'
import { sizeWord } from '../../quantities/size'

export const SIZES = [
  '14',
  '12',
  '10',
  '8',
  '6',
  '4',
  '3',
  '2',
  '1',
  '1/0',
  '2/0',
  '3/0',
  '4/0',
  '250',
  '300',
  '350',
  '400',
  '500',
]

export const sizeOptions = SIZES.map((s) => ({ value: s, label: sizeWord(s) }))
const plain = (values: string[]) => values.map((v) => ({ value: v, label: v }))

/** What a circuit feeds: its rules follow from it, so it is asked first and never preset. */
export const FEEDS = [
  { value: 'compressor', label: t`Air conditioner or heat pump` },
  { value: 'heat', label: t`Electric heat` },
  { value: 'both', label: t`Both on one circuit` },
  { value: 'fan_coil', label: t`Air handler, no heat` },
  { value: 'mini_split', label: t`Mini-split outdoor unit` },
  { value: 'several', label: t`Several units` },
]
export const EDITIONS = plain(['2017', '2020', '2023'])
export const INSULATIONS = plain(['THHN', 'THWN', 'THWN-2', 'XHHW', 'XHHW-2', 'NM-B', 'UF-B'])
export const RACEWAYS = plain(['EMT', 'RMC', 'PVC-40', 'PVC-80', 'LFNC-B', 'LFMC', 'FMC']).concat([
  { value: 'cable', label: t`Cable, no raceway` },
  { value: 'MC', label: t`MC cable` },
  { value: 'SER', label: t`SER cable` },
])
export const METALS = [
  { value: 'copper', label: t`Copper` },
  { value: 'aluminum', label: t`Aluminum` },
]
export const TERMINALS = [
  { value: '60', label: '60 °C' },
  { value: '75', label: '75 °C' },
]
export const YES_NO = [
  { value: 'yes', label: t`Yes` },
  { value: 'no', label: t`No` },
]
