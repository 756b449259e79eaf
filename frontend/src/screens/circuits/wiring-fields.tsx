import type { Schemas } from '../../api/client'
import { Choice } from '../../parts/choice'
import { FigureField, Tick } from '../../parts/field'
import { Pick } from '../../parts/pick'
import { parseFigure } from '../../quantities/format'

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
/** A size as it is spoken: 10 AWG, 250 kcmil. */
export function sizeWord(size: string): string {
  return Number(size) > 100 ? `${size} kcmil` : `${size} AWG`
}

export const sizeOptions = SIZES.map((s) => ({
  value: s,
  label: sizeWord(s),
}))

export type WiringDraft = {
  edition: string
  material: string
  insulation: string
  termination: string
  ambient: string
  conductors: string
  wet: boolean
  roof: string
  length: string
  raceway: string
  limit: string
  school: string
  lugLow: string
  lugHigh: string
  lugAl: boolean
  provisional: boolean
}

export const WIRING: WiringDraft = {
  edition: '2023',
  material: 'copper',
  insulation: 'THWN-2',
  termination: '',
  ambient: '',
  conductors: '',
  wet: true,
  roof: '',
  length: '',
  raceway: 'PVC-40',
  limit: '',
  school: 'mca',
  lugLow: '',
  lugHigh: '',
  lugAl: false,
  provisional: false,
}

/** The wiring as a circuit takes it; what is blank stays out, and the server says which default it took. */
export function wiringEntry(d: WiringDraft): Partial<Schemas['CircuitIn']> {
  const figures = {
    ambient_f: parseFigure(d.ambient, '°F'),
    current_carrying_conductors: parseFigure(d.conductors),
    rooftop_clearance_in: parseFigure(d.roof, 'in'),
    length_ft: parseFigure(d.length, 'ft'),
    drop_limit_pct: parseFigure(d.limit, '%'),
  }
  const given = Object.fromEntries(Object.entries(figures).filter(([, v]) => v !== null))
  return {
    edition: d.edition,
    material: d.material,
    insulation: d.insulation,
    ...(d.termination && { termination_c: Number(d.termination) }),
    wet: d.wet,
    raceway: d.raceway,
    school: d.school,
    provisional: d.provisional,
    ...(d.lugLow &&
      d.lugHigh && {
        lugs: [
          {
            at: 'Tightest lug',
            low_awg: d.lugLow,
            high_awg: d.lugHigh,
            metals: d.lugAl ? ['copper', 'aluminum'] : ['copper'],
          },
        ],
      }),
    ...given,
  } as Partial<Schemas['CircuitIn']>
}

type OneOf = { value: string; onChange: (value: string) => void }

export function EditionPick({ value, onChange }: OneOf) {
  return (
    <Pick
      label="Code edition"
      value={value}
      onChange={onChange}
      options={['2017', '2020', '2023'].map((v) => ({ value: v, label: v }))}
    />
  )
}

export function TerminalsChoice({ value, onChange }: OneOf) {
  return (
    <Choice
      label="Terminals marked"
      value={value}
      onChange={onChange}
      options={[
        { value: '', label: 'Not entered' },
        { value: '60', label: '60 °C' },
        { value: '75', label: '75 °C' },
      ]}
    />
  )
}

export function WiringFields({
  d,
  change,
}: {
  d: WiringDraft
  change: (part: Partial<WiringDraft>) => void
}) {
  const field = (key: keyof WiringDraft, label: string, unit?: string) => (
    <FigureField
      label={label}
      {...(unit && { unit })}
      value={String(d[key])}
      onChange={(v) => change({ [key]: v })}
    />
  )
  return (
    <div className="grid gap-3">
      <div className="grid grid-cols-2 gap-3 sm:grid-cols-4">
        {field('length', 'Length, one way', 'ft')}
        {field('ambient', 'Highest ambient', '°F')}
        {field('conductors', 'Current-carrying conductors')}
        {field('limit', 'Drop at most', '%')}
        <Pick
          label="Insulation"
          value={d.insulation}
          onChange={(v) => change({ insulation: v })}
          options={['THHN', 'THWN', 'THWN-2', 'XHHW', 'XHHW-2', 'NM-B', 'UF-B'].map((v) => ({
            value: v,
            label: v,
          }))}
        />
        <Pick
          label="Raceway"
          value={d.raceway}
          onChange={(v) => change({ raceway: v })}
          options={['EMT', 'PVC-40', 'PVC-80', 'LFNC-B', 'LFMC', 'cable'].map((v) => ({
            value: v,
            label: v,
          }))}
        />
        <EditionPick value={d.edition} onChange={(v) => change({ edition: v })} />
        {field('roof', 'Height above roof', 'in')}
      </div>
      <details>
        <summary className="min-h-11 cursor-pointer py-2">
          <b>Lowest lug temperature rating</b>
        </summary>
        <div className="grid grid-cols-2 gap-3 sm:grid-cols-3">
          <Pick
            label="Takes from"
            value={d.lugLow}
            onChange={(v) => change({ lugLow: v })}
            options={[{ value: '', label: 'not read' }, ...sizeOptions]}
          />
          <Pick
            label="to"
            value={d.lugHigh}
            onChange={(v) => change({ lugHigh: v })}
            options={[{ value: '', label: 'not read' }, ...sizeOptions]}
          />
          <Tick checked={d.lugAl} onChange={(lugAl) => change({ lugAl })}>
            Marked for aluminum
          </Tick>
        </div>
      </details>
      <div className="flex flex-wrap items-end gap-4">
        <Choice
          label="Metal"
          value={d.material}
          onChange={(v) => change({ material: v })}
          options={[
            { value: 'copper', label: 'Copper' },
            { value: 'aluminum', label: 'Aluminum' },
          ]}
        />
        <TerminalsChoice value={d.termination} onChange={(v) => change({ termination: v })} />
        <Choice
          label="Size wire by"
          value={d.school}
          onChange={(v) => change({ school: v })}
          options={[
            { value: 'mca', label: 'MCA' },
            { value: 'breaker', label: 'breaker' },
          ]}
        />
        <Tick checked={d.provisional} onChange={(provisional) => change({ provisional })}>
          The unit is not here yet
        </Tick>
        <Tick checked={d.wet} onChange={(wet) => change({ wet })}>
          Outdoors or wet
        </Tick>
      </div>
    </div>
  )
}
