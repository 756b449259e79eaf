import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { type Call, fieldProblem, problemOf, type Reference, type Schemas } from '../../api/client'
import { useAddTest, useReference } from '../../api/queries'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { useDraft } from '../../parts/draft'
import { FigureBox, FigureField, TextField } from '../../parts/field'
import { Form } from '../../parts/figures'
import { GateNote } from '../../parts/gate'
import { ProblemNote } from '../../parts/problem'
import { VerdictMark, Why } from '../../parts/verdict'
import { parseFigure } from '../../quantities/figure'
import { clock } from '../../quantities/format'
import { typed as asTyped } from '../../quantities/measures'
import { sizeWord } from '../../quantities/size'
import { type Cell, KITS, PLAIN, testDrawing } from './call-test-cells'
import { OPEN } from './entry/fields'

type Typed = Record<string, string>

const YES_NO = [
  { value: 'no', label: t`No` },
  { value: 'yes', label: t`Yes` },
]
type Entry = Schemas['NewTest']['entry']
/** Put what was typed into the entry of a topic; empty cells are left out, lists keep their order. */
function collect(cells: Cell[], typed: Typed): Entry {
  const entry: Record<string, unknown> = {}
  for (const c of cells) {
    const text = (typed[c.key] ?? '').trim()
    if (!text) continue
    if (c.flag || c.options) {
      entry[c.key] = c.flag ? text === 'yes' : text
      continue
    }
    const value = c.open && OPEN.test(text) ? 'open' : parseFigure(text, c.unit)
    if (value === null) continue
    const [name, place] = c.key.split('.')
    if (name && place !== undefined) entry[name] = [...((entry[name] as unknown[]) ?? []), value]
    else entry[c.key] = value
  }
  return entry as Entry
}

function walkEntry(typed: Typed, reference: Reference): Entry {
  const read = (key: string) =>
    parseFigure(typed[key] ?? '', key === 'length_ft' ? 'ft' : key.endsWith('_a') ? 'A' : 'V')
  const stops = reference.supply_points.flatMap(({ value: point }) => {
    const [idle_v, running_v, dip_v] = ['idle', 'run', 'dip'].map((state) => read(`${point}.${state}`))
    return idle_v === null && running_v === null && dip_v === null
      ? []
      : [{ point, idle_v, running_v, dip_v }]
  })
  const length = read('length_ft')
  const runs =
    length !== null && typed.conductor_awg
      ? [
          {
            start: typed.from || 'panel_bus',
            end: typed.to || 'disconnect_line',
            conductor_awg: typed.conductor_awg,
            length_ft: length,
            material: typed.material || 'copper',
          },
        ]
      : []
  const amps = { running_a: read('running_a'), start_a: read('start_a') }
  return { stops, runs, ...amps } as unknown as Entry
}

/** A three-phase unit begins with three volts and three amps; elsewhere the test lies among the others. */
const isThreePhase = (call: Call) => call.plate !== null && call.tests_offered.includes('imbalance')

export function ThreeLegs({ call }: { call: Call }) {
  const reference = useReference()
  const kind = reference.data?.call_tests.find((test) => test.topic === 'imbalance')
  if (!isThreePhase(call) || !kind || !reference.data) return null
  return (
    <section aria-label={t`Three volts, three amps`} data-step="imbalance" className="scroll-mt-14">
      <h3 className="border-b-2 border-ink font-bold">{t`Three volts, three amps`}</h3>
      <TestForm call={call} kind={kind} reference={reference.data} />
    </section>
  )
}

export function CallTests({ call, work }: { call: Call; work: 'dead' | 'live' }) {
  const reference = useReference()
  const kinds = reference.data?.call_tests.filter((test) => test.work === work) ?? []
  return (
    <section aria-label={work === 'dead' ? t`More dead tests` : t`More live tests`} className="grid gap-1">
      <h3 className="border-b-2 border-ink font-bold">{t`More tests`}</h3>
      {kinds
        .filter((k) => call.tests_offered.includes(k.topic))
        .filter((k) => k.topic !== 'imbalance' || !isThreePhase(call))
        .map((k) => (
          <details key={k.topic} className="border-b border-faint">
            <summary className="flex min-h-11 cursor-pointer items-center gap-3 font-bold">
              ▸ {k.label}
            </summary>
            {reference.data && <TestForm call={call} kind={k} reference={reference.data} />}
          </details>
        ))}
      {[...call.tests]
        .reverse()
        // One that waits on this device knows its topic alone.
        .filter((test) => (test.id > 0 ? test.work === work : kinds.some((k) => k.topic === test.topic)))
        .map((test) => (
          <Why
            key={test.id}
            findings={test.judged.findings}
            open={test.judged.stop}
            summary={
              <span className="flex flex-wrap items-center gap-x-3">
                <span className="figure text-sm text-soft">{clock(test.taken_at)}</span>
                <span>{kinds.find((k) => k.topic === test.topic)?.label ?? test.label}</span>
                {test.old_part && <span className="text-sm text-soft">{t`of the old part`}</span>}
                <VerdictMark verdict={test.judged.verdict} {...(test.judged.stop ? { word: t`STOP` } : {})} />
              </span>
            }
          >
            {test.without_make_safe && (
              <p className="pt-2">{t`Without a make-safe record, because: “${test.without_make_safe}”`}</p>
            )}
          </Why>
        ))}
    </section>
  )
}

function TestForm({
  call,
  kind,
  reference,
}: {
  call: Call
  kind: Schemas['CallTest']
  reference: Reference
}) {
  const [start] = useState((): Typed => {
    const first: Typed = { kind: 'potential_relay' }
    if (kind.topic === 'capacitor') first.label_uf = String(call.plate?.plate?.run_cap_uf ?? '')
    // Asked once: the site keeps it.
    if (PLAIN[kind.topic]?.some((c) => c.key === 'altitude_ft'))
      first.altitude_ft = asTyped(call.site.elevation_ft, 'ft')
    return first
  })
  const [typed, change, clear] = useDraft<Typed>(`test.${call.id}.${kind.topic}`, start)
  const [reason, setReason] = useState('')
  const add = useAddTest(call.id)
  const problem = problemOf(add.error)
  const isKit = kind.topic === 'start-kit'
  const isWalk = kind.topic === 'supply-walk'
  const cells = isKit ? (KITS[typed.kind ?? '']?.cells ?? []) : (PLAIN[kind.topic] ?? [])
  const gate = call.allowed[`take_${kind.work}` as keyof typeof call.allowed]
  const submit = () => {
    const entry = isWalk ? walkEntry(typed, reference) : collect(cells, typed)
    add.mutate(
      {
        topic: kind.topic,
        entry: isKit ? { kind: typed.kind ?? '', ...entry } : entry,
        ...(reason.trim() ? { without_make_safe: reason.trim() } : {}),
      },
      { onSuccess: clear },
    )
  }
  const field = (c: Cell) =>
    c.flag || c.options ? (
      <div key={c.key} className={c.options ? 'col-span-2 sm:col-span-3' : ''}>
        <Choice
          label={c.label}
          value={typed[c.key] ?? ''}
          onChange={(chosen) => change({ [c.key]: chosen === '–' ? '' : chosen })}
          problem={fieldProblem(problem, c.key)}
          options={[...(c.options ?? YES_NO), { value: '–', label: '–' }]}
        />
      </div>
    ) : (
      <FigureField
        key={c.key}
        label={c.label}
        unit={c.unit}
        value={typed[c.key] ?? ''}
        onChange={(text) => change({ [c.key]: text })}
        {...(c.open ? { words: OPEN } : {})}
        whole={c.whole ?? false}
        problem={fieldProblem(problem, c.key)}
      />
    )
  return (
    <Form label={kind.label} onSubmit={submit} className="grid gap-3 py-2">
      <div className="flex flex-wrap items-start gap-3">
        {testDrawing(kind.topic, typed.kind ?? '')}
        <p className="min-w-0 flex-1 basis-48 text-soft">{kind.how}</p>
      </div>
      {isKit && (
        <Choice
          label={t`What is fitted?`}
          value={typed.kind ?? ''}
          onChange={(chosen) => change({ kind: chosen })}
          options={Object.entries(KITS).map(([value, k]) => ({ value, label: k.label }))}
        />
      )}
      {isWalk ? (
        <Walk typed={typed} change={change} reference={reference} />
      ) : (
        <div className="grid grid-cols-2 gap-3 sm:grid-cols-3">{cells.map(field)}</div>
      )}
      {gate?.with_reason && (
        <TextField label={t`Why it is safe without a make-safe record`} value={reason} onChange={setReason} />
      )}
      <ProblemNote problem={problem} />
      <GateNote gate={gate} />
      <div>
        <Button
          kind={kind.work === 'dead' ? 'dead' : 'primary'}
          type="submit"
          busy={add.isPending}
          disabled={!gate?.ok && !(gate?.with_reason && reason.trim().length >= 3)}
        >{t`Save ${kind.label.toLowerCase()}`}</Button>
      </div>
    </Form>
  )
}

function Walk({
  typed,
  change,
  reference,
}: {
  typed: Typed
  change: (part: Typed) => void
  reference: Reference
}) {
  const box = (key: string, label: string) => (
    <FigureBox label={label} unit="V" value={typed[key] ?? ''} onChange={(text) => change({ [key]: text })} />
  )
  const pick = (
    key: string,
    label: string,
    options: { value: string; label: string }[],
    fallback: string,
  ) => (
    <label className="block">
      <span className="block text-sm font-bold text-soft">{label}</span>
      <select
        value={typed[key] || fallback}
        onChange={(e) => change({ [key]: e.target.value })}
        className="min-h-12 w-full border-2 border-line bg-field px-2"
      >
        {options.map((o) => (
          <option key={o.value} value={o.value}>
            {o.label}
          </option>
        ))}
      </select>
    </label>
  )
  return (
    <div className="grid gap-3">
      <div className="relative overflow-x-auto">
        <table className="w-full text-left text-sm">
          <thead>
            <tr>
              <th scope="col">{t`Point, volts`}</th>
              <th scope="col">{t`idle`}</th>
              <th scope="col">{t`running`}</th>
              <th scope="col">{t`at the dip`}</th>
            </tr>
          </thead>
          <tbody>
            {reference.supply_points.map((p) => (
              <tr key={p.value}>
                <th scope="row" className="pr-2 font-normal">
                  {p.label}
                </th>
                <td className="p-0.5">{box(`${p.value}.idle`, t`${p.label}, idle`)}</td>
                <td className="p-0.5">{box(`${p.value}.run`, t`${p.label}, running`)}</td>
                <td className="p-0.5">{box(`${p.value}.dip`, t`${p.label}, dip`)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <div className="grid grid-cols-2 gap-3 sm:grid-cols-4">
        {(
          [
            ['running_a', t`Running`, 'A'],
            ['start_a', t`At the dip`, 'A'],
            ['length_ft', t`Wire, one way`, 'ft'],
          ] as const
        ).map(([key, label, unit]) => (
          <FigureField
            key={key}
            label={label}
            unit={unit}
            value={typed[key] ?? ''}
            onChange={(text) => change({ [key]: text })}
          />
        ))}
        {pick(
          'conductor_awg',
          t`Its size`,
          [
            { value: '', label: t`not known` },
            ...reference.conductor_sizes.map((s) => ({ value: s, label: sizeWord(s) })),
          ],
          '',
        )}
        {pick('from', t`Wire from`, reference.supply_points, 'panel_bus')}
        {pick('to', t`Wire to`, reference.supply_points, 'disconnect_line')}
        {pick(
          'material',
          t`Metal`,
          [
            { value: 'copper', label: t`Copper` },
            { value: 'aluminum', label: t`Aluminum` },
          ],
          'copper',
        )}
      </div>
    </div>
  )
}
