import { useQuery } from '@tanstack/react-query'
import { type ReactNode, useMemo, useRef, useState } from 'react'
import { useNavigate } from 'react-router'
import { answer, type Call, client, type NewReading, problemOf, type Schemas } from '../../api/client'
import { useAddReadingSet } from '../../api/queries'
import { CapacitorTop, CompressorTerminals, ContactorFace } from '../../drawings/probes'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { Cooling } from '../../parts/cooling'
import { useDraft } from '../../parts/draft'
import { FigureField, TextField } from '../../parts/field'
import { type Figures, Form, useFigures } from '../../parts/figures'
import { Photos } from '../../parts/photos'
import { ProblemNote } from '../../parts/problem'
import { useReadOnly } from '../../parts/read-only'
import { Findings, VerdictMark } from '../../parts/verdict'
import { figure, parseFigure } from '../../quantities/format'
import { CallTests } from './call-tests'
import { OPEN, Readings } from './live-tests'
import { usePause } from './plate'

const YES_NO = [
  { value: 'no', label: 'No' },
  { value: 'yes', label: 'Yes' },
]

/** Ohms as typed: a figure, or the word for an open circuit. */
function ohms(typed: string): number | 'open' | null {
  return OPEN.test(typed.trim()) ? 'open' : parseFigure(typed, 'Ω')
}

export function DeadTests({ call }: { call: Call }) {
  const [reason, setReason] = useState('')
  const gate = call.allowed.take_dead
  const open = gate?.ok || (gate?.with_reason && reason.trim().length >= 3)
  return (
    <div className="grid max-w-4xl gap-5">
      <Gate call={call} reason={reason} onReason={setReason} />
      <fieldset disabled={!open} className={open ? 'grid gap-5' : 'grid gap-5 opacity-60'}>
        <legend className="sr-only">Dead tests</legend>
        <Ground call={call} reason={reason} />
        <Windings call={call} reason={reason} />
        <Capacitors call={call} reason={reason} />
        <Contactor call={call} reason={reason} />
      </fieldset>
      <CallTests call={call} work="dead" />
      <Cooling call={call} />
      <Photos call={call} />
      <Readings call={call} only="dead" />
    </div>
  )
}

function Gate({ call, reason, onReason }: { call: Call; reason: string; onReason: (text: string) => void }) {
  const navigate = useNavigate()
  const closed = useReadOnly()
  const gate = call.allowed.take_dead
  if (gate?.ok || closed) return null
  return (
    <section className="border-2 border-ink bg-field p-3">
      <p className="text-lg font-bold">{gate?.why}</p>
      <Button kind="dead" className="my-2" onClick={() => navigate(`/calls/${call.id}/make_safe`)}>
        Open Make safe
      </Button>
      {gate?.with_reason && (
        <TextField
          label="Or why it is safe without that record"
          hint="Stays on the record with each reading."
          value={reason}
          onChange={onReason}
        />
      )}
    </section>
  )
}

type Entry = Pick<NewReading, 'quantity' | 'value' | 'accuracy_pct' | 'lead_ohm'> & { supersedes_id?: number }

function useSave(call: Call, reason: string, done: () => void) {
  const add = useAddReadingSet(call.id)
  const save = (entries: Entry[]) =>
    add.mutate(
      entries.map((e) => ({
        ...e,
        ...(reason.trim() ? { without_make_safe: reason.trim() } : {}),
      })) as NewReading[],
      { onSuccess: done },
    )
  return { save, busy: add.isPending, problem: problemOf(add.error), saved: add.isSuccess }
}

/** What was said of this within the visit to the rung is corrected, not said twice. */
function correcting(call: Call, quantity: NewReading['quantity'], before: Set<number>) {
  const mine = call.readings
    .filter((r) => r.entry.quantity === quantity && r.superseded_by_id === null && !before.has(r.id))
    .at(-1)
  return mine ? { supersedes_id: mine.id } : {}
}

function Test({
  title,
  how,
  drawing,
  children,
  onSubmit,
  save,
  figures,
  self = false,
}: {
  /** Saved by itself as each thing is said: no button. */
  self?: boolean
  figures?: Figures
  title: string
  how: string
  drawing: ReactNode
  children: ReactNode
  onSubmit: () => void
  save: ReturnType<typeof useSave>
}) {
  return (
    <Form
      label={title}
      onSubmit={onSubmit}
      {...(figures ? { figures } : {})}
      className="border-t-2 border-line pt-2"
    >
      <h3 className="text-lg font-bold">{title}</h3>
      <p className="pb-2 text-soft">{how}</p>
      <div className="grid gap-4 sm:grid-cols-[14rem_1fr]">
        <div>{drawing}</div>
        <div className="grid content-start gap-3">
          {/* Said twice quickly: the second waits until the first is on record, to correct it. */}
          {self ? (
            <fieldset disabled={save.busy} className="grid gap-3">
              {children}
            </fieldset>
          ) : (
            children
          )}
          <ProblemNote problem={save.problem} />
          <div className="flex flex-wrap items-center gap-3">
            {!self && (
              <Button kind="dead" type="submit" busy={save.busy}>
                Save {title.toLowerCase()}
              </Button>
            )}
            <span role="status" className="font-bold text-pass">
              {save.saved && '✓ Saved'}
            </span>
          </div>
        </div>
      </div>
    </Form>
  )
}

function Ground({ call, reason }: { call: Call; reason: string }) {
  const [value, setValue] = useState('')
  const [fuse, setFuse] = useState('')
  const [shell, setShell] = useState('')
  const before = useRef(new Set(call.readings.map((r) => r.id)))
  const save = useSave(call, reason, () => undefined)
  const put = (quantity: 'to_ground' | 'fuse_open' | 'shell_hot', said: string) =>
    save.save([{ quantity, value: said === 'yes', ...correcting(call, quantity, before.current) }])
  return (
    <Test
      title="To ground"
      how="Each load-side contactor terminal to bare metal, contactor open."
      drawing={<ContactorFace pair={['T1', 'METAL']} />}
      save={save}
      onSubmit={() => undefined}
      self
    >
      <Choice
        label="Continuity to ground?"
        value={value}
        onChange={(said) => {
          setValue(said)
          put('to_ground', said)
        }}
        options={YES_NO}
      />
      <Choice
        label="A fuse open? (pulled, end to end)"
        value={fuse}
        onChange={(said) => {
          setFuse(said)
          put('fuse_open', said)
        }}
        options={YES_NO}
      />
      <Choice
        label="Compressor shell hot?"
        value={shell}
        onChange={(said) => {
          setShell(said)
          put('shell_hot', said)
        }}
        options={YES_NO}
      />
    </Test>
  )
}

type Pair = 'cs' | 'cr' | 'sr'
const PAIRS: { key: Pair; label: string; pins: string[]; quantity: NewReading['quantity'] }[] = [
  { key: 'cs', label: 'C–S', pins: ['C', 'S'], quantity: 'winding_cs_ohm' },
  { key: 'cr', label: 'C–R', pins: ['C', 'R'], quantity: 'winding_cr_ohm' },
  { key: 'sr', label: 'S–R', pins: ['S', 'R'], quantity: 'winding_sr_ohm' },
]
const noOhms = { cs: '', cr: '', sr: '', lead: '', hot: '', names: 'known' }

function Windings({ call, reason }: { call: Call; reason: string }) {
  const [draft, change, clear] = useDraft(`windings.${call.id}`, noOhms)
  const [focus, setFocus] = useState<Pair>('cs')
  const [wrong, setWrong] = useState<string[]>([])
  const save = useSave(call, reason, clear)
  const read = PAIRS.map((p) => ohms(draft[p.key]))
  const figures = useFigures()
  const lead = parseFigure(draft.lead, 'Ω')
  const whole = figures.whole && read.every((v) => v !== null)
  const unnamed = draft.names === 'unknown'
  const body = whole
    ? {
        ...(unnamed
          ? { pairs: { ab: read[0], bc: read[1], ca: read[2] } }
          : { cs_ohm: read[0], cr_ohm: read[1], sr_ohm: read[2] }),
        ...(lead === null ? {} : { lead_ohm: lead }),
        hot: draft.hot === '' ? null : draft.hot === 'yes',
        phase: call.plate?.plate?.phase ?? 1,
      }
    : null
  const settled = usePause(JSON.stringify(body), 200)
  const check = useQuery({
    queryKey: ['calc', 'windings', settled],
    enabled: settled !== 'null',
    queryFn: () => answer(client.POST('/api/calc/windings', { body: JSON.parse(settled) })),
    retry: false,
  })
  const three = call.plate?.plate?.phase === 3
  const named = check.data?.terminals
  const labels = unnamed
    ? ['a–b', 'b–c', 'c–a']
    : three
      ? ['L1–L2', 'L2–L3', 'L3–L1']
      : PAIRS.map((p) => p.label)
  const submit = () => {
    const bad = PAIRS.filter((p) => ohms(draft[p.key]) === null).map((p) => p.key as string)
    setWrong(bad)
    if (bad.length > 0 || unnamed) return
    // The meter's own figure and its leads are both kept; the server subtracts.
    const entries: Entry[] = PAIRS.map((p, i) => ({
      quantity: p.quantity,
      value: read[i] as number | 'open',
      ...(lead === null || read[i] === 'open' ? {} : { lead_ohm: lead }),
    }))
    if (draft.hot) entries.push({ quantity: 'shell_hot', value: draft.hot === 'yes' })
    save.save(entries)
  }
  return (
    <Test
      title="Windings"
      how="Leads off R, S and C: a parallel path spoils the reading. Cover on until proved dead; stand to the side."
      drawing={
        <CompressorTerminals
          pair={unnamed || three ? [] : (PAIRS.find((p) => p.key === focus)?.pins ?? [])}
        />
      }
      save={save}
      onSubmit={submit}
      figures={figures}
    >
      {!three && (
        <Choice
          label="Terminals"
          value={draft.names}
          onChange={(names) => change({ names })}
          options={[
            { value: 'known', label: 'Named' },
            { value: 'unknown', label: 'Not named yet' },
          ]}
        />
      )}
      <div className="grid grid-cols-3 gap-2">
        {PAIRS.map((p, i) => (
          // biome-ignore lint/a11y/noStaticElementInteractions: focus only steers the drawing beside it
          <div key={p.key} onFocus={() => setFocus(p.key)}>
            <FigureField
              label={labels[i] ?? p.label}
              unit="Ω"
              value={draft[p.key]}
              words={OPEN}
              onChange={(text) => change({ [p.key]: text })}
              problem={wrong.includes(p.key) ? 'Ohms, or open.' : undefined}
            />
            <Button className="mt-1 w-full px-1 text-sm" onClick={() => change({ [p.key]: 'open' })}>
              Open
            </Button>
          </div>
        ))}
      </div>
      <div className="grid grid-cols-2 gap-3">
        <FigureField
          label="Leads, shorted together"
          unit="Ω"
          value={draft.lead}
          onChange={(leadText) => change({ lead: leadText })}
        />
        <Choice label="Shell hot?" value={draft.hot} onChange={(hot) => change({ hot })} options={YES_NO} />
      </div>
      <ProblemNote problem={problemOf(check.error)} />
      {check.data && body && (
        <div className="border-2 border-line bg-field px-3" data-testid="windings-verdict">
          <Findings findings={check.data.findings} />
        </div>
      )}
      {unnamed && named && (
        <Button
          onClick={() => {
            const where = Object.fromEntries(Object.entries(named).map(([tab, name]) => [name, tab]))
            const between = (one: string, two: string) => {
              const ends = [where[one], where[two]].sort().join('')
              return { ab: draft.cs, bc: draft.cr, ac: draft.sr }[ends] ?? ''
            }
            change({
              names: 'known',
              cs: between('common', 'start'),
              cr: between('common', 'run'),
              sr: between('start', 'run'),
            })
          }}
        >
          Take these names
        </Button>
      )}
    </Test>
  )
}

function Capacitors({ call, reason }: { call: Call; reason: string }) {
  const plate = call.plate?.plate
  const [run, setRun] = useState('')
  const [fan, setFan] = useState('')
  const [accuracy, setAccuracy] = useState('')
  const [focus, setFocus] = useState<'run' | 'fan'>('run')
  const [wrong, setWrong] = useState<string[]>([])
  const save = useSave(call, reason, () => {
    setRun('')
    setFan('')
  })
  const dual = Boolean(plate?.fan_cap_uf)
  const accuracyPct = parseFigure(accuracy, '± %')
  return (
    <Test
      title="Capacitors"
      how="Off circuit: bled, measured on DC, wires lifted. Bulge, oil or a burnt tab is out whatever it measures."
      drawing={<CapacitorTop pair={focus === 'run' ? ['C', 'HERM'] : ['C', 'FAN']} dual={dual} />}
      save={save}
      onSubmit={() => {
        const bad = !run.trim() && !fan.trim() ? ['run'] : []
        setWrong(bad)
        if (bad.length > 0) return
        const known = accuracyPct === null ? {} : { accuracy_pct: accuracyPct }
        save.save([
          ...(run.trim()
            ? [{ quantity: 'run_cap_uf' as const, value: parseFigure(run, 'µF') as number, ...known }]
            : []),
          ...(fan.trim()
            ? [{ quantity: 'fan_cap_uf' as const, value: parseFigure(fan, 'µF') as number, ...known }]
            : []),
        ])
      }}
    >
      <div className="grid grid-cols-2 gap-3">
        {/* biome-ignore lint/a11y/noStaticElementInteractions: focus only steers the drawing beside it */}
        <div onFocus={() => setFocus('run')}>
          <FigureField
            label={`C–HERM${plate?.run_cap_uf ? `, label ${figure(plate.run_cap_uf)}` : ''}`}
            unit="µF"
            value={run}
            onChange={setRun}
            problem={wrong.includes('run') ? 'Wanted microfarads.' : undefined}
          />
          <CapacitorLine label={plate?.run_cap_uf} typed={run} accuracy={accuracyPct} />
        </div>
        {(dual || !plate) && (
          // biome-ignore lint/a11y/noStaticElementInteractions: focus only steers the drawing beside it
          <div onFocus={() => setFocus('fan')}>
            <FigureField
              label={`C–FAN${plate?.fan_cap_uf ? `, label ${figure(plate.fan_cap_uf)}` : ''}`}
              unit="µF"
              value={fan}
              onChange={setFan}
            />
            <CapacitorLine label={plate?.fan_cap_uf} typed={fan} accuracy={accuracyPct} />
          </div>
        )}
        <FigureField label="Meter accuracy, if known" unit="± %" value={accuracy} onChange={setAccuracy} />
      </div>
    </Test>
  )
}

function CapacitorLine({
  label,
  typed,
  accuracy,
}: {
  label: number | null | undefined
  typed: string
  accuracy: number | null
}) {
  const measured = usePause(parseFigure(typed, 'µF'), 200)
  const check = useQuery({
    queryKey: ['calc', 'capacitor', label, measured, accuracy],
    enabled: Boolean(label) && measured !== null,
    queryFn: () =>
      answer(
        client.POST('/api/calc/capacitor', {
          body: { label_uf: label, measured_uf: measured, accuracy_pct: accuracy } as Schemas['Capacitor'],
        }),
      ),
    retry: false,
  })
  if (!check.data || measured === null) return null
  return (
    <p className="pt-1 text-sm">
      <VerdictMark verdict={check.data.verdict} /> {figure(check.data.low_uf)} to {figure(check.data.high_uf)}{' '}
      µF
      {check.data.plus_minus_uf !== null && `, ± ${figure(check.data.plus_minus_uf, 2)}`}
    </p>
  )
}

const LOOKS = ['clean', 'pitted', 'burnt', 'welded', 'insects'].map((value) => ({
  value,
  label: value.charAt(0).toUpperCase() + value.slice(1),
}))

function Contactor({ call, reason }: { call: Call; reason: string }) {
  const [look, setLook] = useState('')
  const [coil, setCoil] = useState('')
  const [wrong, setWrong] = useState('')
  const save = useSave(call, reason, () => {
    setLook('')
    setCoil('')
  })
  const value = useMemo(() => ohms(coil), [coil])
  return (
    <Test
      title="Contactor"
      how="Cover off, contactor open. One coil lead off for the coil; keep 24 V leads from touching metal."
      drawing={<ContactorFace pair={['L1', 'T1']} />}
      save={save}
      onSubmit={() => {
        if (!look && !coil.trim()) return setWrong('Say how it looks, or measure the coil.')
        if (coil.trim() && value === null) return setWrong('Wanted ohms, or open.')
        setWrong('')
        save.save([
          ...(look ? [{ quantity: 'contactor_look' as const, value: look }] : []),
          ...(coil.trim() ? [{ quantity: 'coil_ohm' as const, value: value as number | string }] : []),
        ])
      }}
    >
      <Choice label="Contacts look" value={look} onChange={setLook} options={LOOKS} />
      <FigureField
        label="Coil"
        unit="Ω"
        words={OPEN}
        value={coil}
        onChange={setCoil}
        problem={wrong || undefined}
      />
    </Test>
  )
}
