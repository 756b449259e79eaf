import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { type ReactNode, useState } from 'react'
import { useNavigate } from 'react-router'
import { answer, type Call, client, type NewReading, problemOf } from '../../api/client'
import { CapacitorTop, CompressorTerminals, ContactorFace } from '../../drawings/probes'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { Cooling } from '../../parts/cooling'
import { FigureField, TextField } from '../../parts/field'
import { type Figures, Form, useFigures } from '../../parts/figures'
import { Photos } from '../../parts/photos'
import { ProblemNote } from '../../parts/problem'
import { useReadOnly } from '../../parts/read-only'
import { Findings } from '../../parts/verdict'
import { parseFigure } from '../../quantities/figure'
import { figure } from '../../quantities/format'
import { CallTests } from './call-tests'
import { JudgedLine, KeptChoice, KeptFigure, OPEN } from './entry/fields'
import { type Entry, type Kept, useKept } from './entry/kept'
import { Readings } from './live-tests'
import { pinsOf } from './pins'
import { usePause } from './plate'

const YES_NO = [
  { value: 'no', label: t`No` },
  { value: 'yes', label: t`Yes` },
]

export function DeadTests({ call }: { call: Call }) {
  const [reason, setReason] = useState('')
  const gate = call.allowed.take_dead
  const kept = useKept(call, reason)
  const open = gate?.ok || (gate?.with_reason && reason.trim().length >= 3)
  return (
    <div className="grid max-w-4xl gap-5">
      <Gate call={call} reason={reason} onReason={setReason} />
      <fieldset data-run disabled={!open} className={open ? 'grid gap-5' : 'grid gap-5 opacity-60'}>
        <legend className="sr-only">{t`Power-off tests`}</legend>
        <Ground call={call} kept={kept} />
        <Windings call={call} kept={kept} />
        <Capacitors call={call} kept={kept} />
        <Contactor call={call} kept={kept} />
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
      <Button
        kind="dead"
        className="my-2"
        onClick={() => navigate(`/calls/${call.id}/make_safe`)}
      >{t`Open Make safe`}</Button>
      {gate?.with_reason && (
        <TextField
          label={t`Or enter why it is safe without it`}
          hint={t`Saved with each reading.`}
          value={reason}
          onChange={onReason}
        />
      )}
    </section>
  )
}

function Test({
  title,
  how,
  drawing,
  children,
  kept,
  figures,
}: {
  figures?: Figures
  title: string
  how: string
  drawing: ReactNode
  children: ReactNode
  kept: Kept
}) {
  return (
    <Form
      label={title}
      onSubmit={() => undefined}
      {...(figures ? { figures } : {})}
      className="border-t-2 border-line pt-2"
    >
      <h3 className="text-lg font-bold">{title}</h3>
      <p className="pb-2 text-soft">{how}</p>
      <div className="grid gap-4 sm:grid-cols-[14rem_1fr]">
        <div className="hidden sm:block">{drawing}</div>
        <div className="grid content-start gap-3">
          {children}
          <ProblemNote problem={kept.problem} />
        </div>
      </div>
    </Form>
  )
}

function Ground({ call, kept }: { call: Call; kept: Kept }) {
  return (
    <Test
      title={t`To ground`}
      how={t`Each contactor load terminal (T1, T2) to bare metal, contactor open.`}
      drawing={<ContactorFace pair={['T1', 'METAL']} />}
      kept={kept}
    >
      <KeptChoice
        call={call}
        kept={kept}
        quantity="to_ground"
        label={t`Continuity to ground?`}
        options={YES_NO}
      />
      <KeptChoice
        call={call}
        kept={kept}
        quantity="fuse_open"
        label={t`A fuse open? (pulled, end to end)`}
        options={YES_NO}
      />
      <KeptChoice
        call={call}
        kept={kept}
        quantity="shell_hot"
        label={t`Compressor shell hot?`}
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
/** Where the pins sit, and what each is, once they were found by ohms. */
const PLACES: { tab: 'a' | 'b' | 'c'; word: string }[] = [
  { tab: 'a', word: t`top` },
  { tab: 'b', word: t`left` },
  { tab: 'c', word: t`right` },
]
const LETTER: Record<string, string> = { common: 'C', start: 'S', run: 'R' }

function Windings({ call, kept }: { call: Call; kept: Kept }) {
  const [texts, setTexts] = useState<Record<Pair, string>>({ cs: '', cr: '', sr: '' })
  const [leads, setLeads] = useState('')
  const [focus, setFocus] = useState<Pair>('cs')
  const [unnamed, setUnnamed] = useState(false)
  const figures = useFigures()
  const lead = parseFigure(leads, 'Ω')
  const ohms = PAIRS.map((p) => (OPEN.test(texts[p.key].trim()) ? 'open' : parseFigure(texts[p.key], 'Ω')))
  const body =
    unnamed && ohms.every((v) => v !== null)
      ? {
          pairs: { ab: ohms[0], bc: ohms[1], ca: ohms[2] },
          ...(lead === null ? {} : { lead_ohm: lead }),
          phase: call.plate?.plate?.phase ?? 1,
        }
      : null
  const settled = usePause(JSON.stringify(body), 300)
  const check = useQuery({
    queryKey: ['calc', 'windings', settled],
    enabled: settled !== 'null',
    queryFn: ({ signal }) => answer(client.POST('/api/calc/windings', { body: JSON.parse(settled), signal })),
    retry: false,
  })
  const three = call.plate?.plate?.phase === 3
  const labels = three ? ['L1–L2', 'L2–L3', 'L3–L1'] : PAIRS.map((p) => p.label)
  const named = check.data?.terminals
  const beside = lead === null ? undefined : { lead_ohm: lead }
  const judged = call.ladder.readings.find(
    (j) => j.reading_id === kept.mine({ quantity: 'winding_sr_ohm' })?.id,
  )
  const take = () => {
    if (!named) return
    const where = Object.fromEntries(Object.entries(named).map(([tab, name]) => [name, tab]))
    const between = (one: string, two: string) =>
      ({ ab: ohms[0], bc: ohms[1], ac: ohms[2] })[[where[one], where[two]].sort().join('')] ?? null
    const found = {
      winding_cs_ohm: between('common', 'start'),
      winding_cr_ohm: between('common', 'run'),
      winding_sr_ohm: between('start', 'run'),
    }
    const entries: Entry[] = Object.entries(found)
      .filter(([, value]) => value !== null)
      .map(([quantity, value]) => ({
        quantity: quantity as Entry['quantity'],
        value: value as number | 'open',
        ...(beside && value !== 'open' ? beside : {}),
      }))
    const pins = PLACES.map((p) => LETTER[named[p.tab] ?? ''] ?? '').join(' ')
    kept.keep([...entries, { quantity: 'pins_found', value: pins }])
    setUnnamed(false)
  }
  return (
    <Test
      title={t`Windings`}
      how={t`Take leads off R, S and C first. Keep the cover on until proved dead. Stand to the side.`}
      drawing={
        <CompressorTerminals
          pair={unnamed || three ? [] : (PAIRS.find((p) => p.key === focus)?.pins ?? [])}
          letters={unnamed ? ['a', 'b', 'c'] : pinsOf(call)}
        />
      }
      kept={kept}
      figures={figures}
    >
      {!three && (
        <Choice
          label={t`Terminals`}
          value={unnamed ? 'unknown' : 'known'}
          onChange={(names) => setUnnamed(names === 'unknown')}
          options={[
            { value: 'known', label: t`Marked` },
            { value: 'unknown', label: t`Not marked` },
          ]}
        />
      )}
      {unnamed ? (
        <>
          <p className="text-soft">{t`Terminals: a = top, b = left, c = right.`}</p>
          <div className="grid grid-cols-3 gap-2">
            {PAIRS.map((p, i) => (
              <FigureField
                key={p.key}
                label={['a–b', 'b–c', 'c–a'][i] as string}
                unit="Ω"
                value={texts[p.key]}
                words={OPEN}
                onChange={(text) => setTexts({ ...texts, [p.key]: text })}
              />
            ))}
          </div>
          <ProblemNote problem={problemOf(check.error)} />
          {check.data && body && (
            <div className="border-2 border-line bg-field px-3" data-testid="windings-verdict">
              <Findings findings={check.data.findings} />
            </div>
          )}
          {named && <Button onClick={take}>{t`Use these names and save`}</Button>}
        </>
      ) : (
        <div className="grid grid-cols-3 gap-2">
          {PAIRS.map((p, i) => (
            <KeptFigure
              key={p.key}
              call={call}
              kept={kept}
              quantity={p.quantity}
              label={labels[i] ?? p.label}
              unit="Ω"
              openToo
              {...(beside && !OPEN.test(texts[p.key]) ? { beside } : {})}
              onFocus={() => setFocus(p.key)}
              onText={(text) => setTexts((old) => ({ ...old, [p.key]: text }))}
              quiet
            />
          ))}
        </div>
      )}
      {judged && <JudgedLine call={call} taken={kept.mine({ quantity: 'winding_sr_ohm' })} />}
      <div className="grid grid-cols-2 @max-[17rem]:grid-cols-1 gap-3">
        <FigureField label={t`Meter leads shorted`} unit="Ω" value={leads} onChange={setLeads} />
      </div>
    </Test>
  )
}

const CAN = [
  { value: 'clean', label: t`Clean` },
  { value: 'bulged', label: t`Bulged` },
  { value: 'oily', label: t`Leaks oil` },
  { value: 'burnt_tab', label: t`Burnt tab` },
  { value: 'rusty', label: t`Rusty` },
]

function Capacitors({ call, kept }: { call: Call; kept: Kept }) {
  const plate = call.plate?.plate
  const [accuracy, setAccuracy] = useState('')
  const [focus, setFocus] = useState<'run' | 'fan'>('run')
  const dual = Boolean(plate?.fan_cap_uf)
  const accuracyPct = parseFigure(accuracy, '± %')
  const beside = accuracyPct === null ? {} : { beside: { accuracy_pct: accuracyPct } }
  return (
    <Test
      title={t`Capacitors`}
      how={t`Bled, checked on DC, wires off. Bulged, leaking or burnt tab: replace it, whatever it reads.`}
      drawing={<CapacitorTop pair={focus === 'run' ? ['C', 'HERM'] : ['C', 'FAN']} dual={dual} />}
      kept={kept}
    >
      <KeptChoice call={call} kept={kept} quantity="can_look" label={t`Capacitor condition`} options={CAN} />
      <div className="grid grid-cols-2 @max-[17rem]:grid-cols-1 gap-3">
        <KeptFigure
          call={call}
          kept={kept}
          quantity="run_cap_uf"
          label={`C–HERM${plate?.run_cap_uf ? t`, plate ${figure(plate.run_cap_uf)}` : ''}`}
          onFocus={() => setFocus('run')}
          {...beside}
        />
        {(dual || !plate) && (
          <KeptFigure
            call={call}
            kept={kept}
            quantity="fan_cap_uf"
            label={`C–FAN${plate?.fan_cap_uf ? t`, plate ${figure(plate.fan_cap_uf)}` : ''}`}
            onFocus={() => setFocus('fan')}
            {...beside}
          />
        )}
        <KeptFigure call={call} kept={kept} quantity="can_label_uf" />
        <FigureField label={t`Meter accuracy, if known`} unit="± %" value={accuracy} onChange={setAccuracy} />
      </div>
    </Test>
  )
}

const LOOKS = ['clean', 'pitted', 'burnt', 'welded', 'insects'].map((value) => ({
  value,
  label: value.charAt(0).toUpperCase() + value.slice(1),
}))
const LUGS = [
  ...['L1', 'L2', 'T1', 'T2'].map((value) => ({ value, label: value })),
  { value: 'Breaker', label: t`Breaker` },
  { value: 'Disconnect', label: t`Disconnect` },
  { value: 'Ground', label: t`Ground` },
]

function Contactor({ call, kept }: { call: Call; kept: Kept }) {
  const [lug, setLug] = useState('')
  return (
    <Test
      title={t`Contactor`}
      how={t`Cover off, contactor open. Take one coil lead off to read the coil. Keep 24 V leads off metal.`}
      drawing={<ContactorFace pair={['L1', 'T1']} />}
      kept={kept}
    >
      <KeptChoice
        call={call}
        kept={kept}
        quantity="contactor_look"
        label={t`Contacts look`}
        options={LOOKS}
      />
      <div className="grid grid-cols-2 @max-[17rem]:grid-cols-1 gap-3">
        <KeptFigure call={call} kept={kept} quantity="coil_ohm" label={t`Coil`} unit="Ω" openToo />
      </div>
      <details>
        <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`Lug torque`}</summary>
        <div className="grid gap-3">
          <Choice label={t`Which lug?`} value={lug} onChange={setLug} options={LUGS} />
          {lug && (
            <div className="max-w-60">
              <KeptFigure
                key={lug}
                call={call}
                kept={kept}
                quantity="lug_torque"
                label={t`${lug} tightened to`}
                spot={lug}
              />
            </div>
          )}
        </div>
      </details>
    </Test>
  )
}
