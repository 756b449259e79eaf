import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { AlertDialog } from 'radix-ui'
import '../parts/nonce'
import { type ReactNode, useMemo, useState } from 'react'
import { useNavigate } from 'react-router'
import { answer, at, type Call, client, problemOf, type Schemas } from '../api/client'
import { MeterContext } from '../meter/use-meter'
import { Button } from '../parts/button'
import { Choice } from '../parts/choice'
import { FigureField, Tick } from '../parts/field'
import { Pick } from '../parts/pick'
import { ProblemNote } from '../parts/problem'
import { Sheet } from '../parts/sheet'
import { useWide } from '../parts/title'
import { parseFigure } from '../quantities/figure'
import { UnitDrawing } from './unit-drawing'
import { type Act, RunContext, type RunState, useRun, useRunHand } from './use-run'

const MODES: { value: string; label: string }[] = [
  { value: 'volts', label: t`Volts AC` },
  { value: 'volts_low_z', label: t`Volts AC, low impedance` },
  { value: 'volts_dc', label: t`Volts DC` },
  { value: 'ohms', label: t`Ohms` },
  { value: 'microfarads', label: t`Microfarads` },
  { value: 'amps', label: t`Amps, clamp` },
  { value: 'inrush', label: t`Inrush, clamp` },
  { value: 'max_hold', label: t`Max hold, clamp` },
]
const CLAMPED = new Set(['amps', 'inrush', 'max_hold'])

/** A practice call: the unit with its hidden fault, at hand on every rung. */
export function PracticeCall({ call, children }: { call: Call; children: ReactNode }) {
  const hand = useRun(call.id)
  const meter = hand.run.data?.meter
  // What the practice meter shows is taken at a field like any live meter's.
  const line = useMemo(
    () => ({
      key: 'practice',
      connect: () => undefined,
      lost: null,
      now:
        meter?.fill && typeof meter.value === 'number'
          ? ({
              values: [
                {
                  fill: meter.fill,
                  shown: {
                    quantity: meter.fill.quantity,
                    place: meter.clamp ?? 'terminals',
                    mode: meter.mode,
                    unit: meter.unit,
                    value: meter.value,
                    odd: null,
                  },
                },
              ],
              connected: null,
              waits: false,
              mode: null,
              place: null,
              switches: {},
            } as unknown as Schemas['LiveValues'])
          : null,
    }),
    [meter],
  )
  return (
    <RunContext.Provider value={hand}>
      <MeterContext.Provider value={line}>{children}</MeterContext.Provider>
    </RunContext.Provider>
  )
}

/** The meter's display and what was seen last; the unit opens from here. */
export function UnitBar({ call }: { call: Call }) {
  const hand = useRunHand()
  const wide = useWide()
  const [seen, setSeen] = useState(0)
  const state = hand?.run.data
  if (!hand) return null
  if (!state)
    return (
      <div className="p-2">
        <ProblemNote problem={problemOf(hand.run.error)} onRetry={() => hand.run.refetch()} />
      </div>
    )
  const over = state.run.ended_at !== null
  const last = state.told.at(-1)
  const harm = state.harms.findLast((h) => h.hurts && h.act === state.run.acts && h.act > seen)
  return (
    <section
      aria-label={t`At the unit`}
      className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b-2 border-ink bg-field px-3 py-1"
    >
      <span className="figure min-w-24 text-2xl" role="status" aria-label={t`Practice meter`}>
        {state.meter.text}
      </span>
      <span className="text-sm text-soft">{t`${minutes(state.at_s)} on the job`}</span>
      {state.run.race && <Race race={state.run.race} me={state.run.id} />}
      <p className="line-clamp-2 min-w-40 flex-1 text-sm" aria-live="polite">
        {last ? last.text : `“${state.complaint}”`}
      </p>
      {over ? (
        <Over call={call} />
      ) : (
        <>
          {/* On a phone it stays under the thumb, wherever the rung was scrolled to; in large text it has its place. */}
          <Button
            kind="primary"
            className={
              wide
                ? 'px-3'
                : 'fixed right-3 bottom-16 z-30 border-2 border-ground px-3 @max-[17rem]:static @max-[17rem]:border-0'
            }
            aria-expanded={hand.open}
            onClick={() => hand.setOpen(!hand.open)}
          >
            {hand.open && wide ? t`Back to the ladder` : t`At the unit`}
          </Button>
          <End call={call} />
        </>
      )}
      {!wide && (
        <Sheet open={hand.open} onOpenChange={hand.setOpen} title={t`At the unit`}>
          <AtTheUnit state={state} />
        </Sheet>
      )}
      <AlertDialog.Root open={harm !== undefined}>
        <AlertDialog.Portal>
          <AlertDialog.Overlay className="fixed inset-0 z-50 bg-black/80" />
          <AlertDialog.Content className="fixed top-1/2 left-1/2 z-[60] max-h-[92dvh] w-[min(34rem,94vw)] -translate-x-1/2 -translate-y-1/2 overflow-y-auto border-4 border-fail bg-plane p-5">
            <AlertDialog.Title className="text-2xl font-bold text-fail">{t`✕ You would have been hurt`}</AlertDialog.Title>
            <AlertDialog.Description className="py-2 text-lg">{harm?.text}</AlertDialog.Description>
            {harm && harm.skipped.length > 0 && (
              <>
                <p className="font-bold">{t`What was skipped:`}</p>
                <ul className="list-disc pb-3 pl-5">
                  {harm.skipped.map((s) => (
                    <li key={s}>{s}</li>
                  ))}
                </ul>
              </>
            )}
            <AlertDialog.Action asChild>
              <Button
                kind="dead"
                onClick={() => setSeen(state.run.acts)}
              >{t`I step back. Make it safe first`}</Button>
            </AlertDialog.Action>
          </AlertDialog.Content>
        </AlertDialog.Portal>
      </AlertDialog.Root>
    </section>
  )
}

/** Where there is room the unit lies beside the rung, in the ladder's place. */
export function UnitDock({ children }: { children: ReactNode }) {
  const hand = useRunHand()
  const wide = useWide()
  const state = hand?.run.data
  if (!wide || !hand?.open || !state || state.run.ended_at !== null) return children
  return <AtTheUnit state={state} docked />
}

/** The race one runs in: its code for anyone who joins, and how far the others are. */
function Race({ race, me }: { race: string; me: number }) {
  const runs = useQuery({
    queryKey: ['race', race],
    queryFn: () => answer(client.GET('/api/practice/races/{race}', { params: { path: { race } } })),
    refetchInterval: 5_000,
  })
  const others = runs.data?.filter((r) => r.id !== me) ?? []
  return (
    <span className="text-sm">
      {t`Race`} <b className="figure">{race}</b>
      {others.map((r) => (
        <span key={r.id}>
          {' '}
          · {r.learner}: {r.ended_at ? t`done` : t`${r.acts} steps`}
        </span>
      ))}
    </span>
  )
}

const minutes = (seconds: number) => `${Math.floor(seconds / 60)} min`

function End({ call }: { call: Call }) {
  const cache = useQueryClient()
  const navigate = useNavigate()
  const [asking, setAsking] = useState(false)
  const end = useMutation({
    mutationFn: () =>
      answer(client.POST('/api/practice/calls/{call_id}/end', { params: { path: { call_id: call.id } } })),
    onSuccess: () => {
      cache.invalidateQueries({ queryKey: ['practice', call.id] })
      navigate(`/score/${call.id}`)
    },
  })
  return (
    <>
      <Button className="px-3" onClick={() => setAsking(true)}>{t`End & score`}</Button>
      <Sheet open={asking} onOpenChange={setAsking} title={t`End this practice call?`}>
        <p className="pb-3">{t`Scores the record as it is now. After that, neither the unit nor the score changes.`}</p>
        <ProblemNote problem={problemOf(end.error)} />
        <Button
          kind="primary"
          busy={end.isPending}
          onClick={() => end.mutate()}
        >{t`End it and show the score`}</Button>
      </Sheet>
    </>
  )
}

function Over({ call }: { call: Call }) {
  const navigate = useNavigate()
  return (
    <Button kind="primary" className="px-3" onClick={() => navigate(`/score/${call.id}`)}>{t`Score`}</Button>
  )
}

const ROOMS = [
  { value: 'meter', label: t`Meter` },
  { value: 'look', label: t`Look & ask` },
  { value: 'hands', label: t`Hands` },
  { value: 'parts', label: t`Parts` },
]

/** Everything one can do at the unit; what comes of it is on top. */
export function AtTheUnit({ state, docked = false }: { state: RunState; docked?: boolean }) {
  const [room, setRoom] = useState('meter')
  const hand = useRunHand()
  if (!hand) return null
  const go = (act: Act) => hand.act.mutate(act)
  const busy = hand.act.isPending
  const recent = state.told.slice(-3)
  return (
    <div className="grid gap-3">
      <div
        aria-busy={busy}
        className={`sticky z-10 ${docked ? '-top-3' : 'top-12'} border-2 border-ink bg-field p-2`}
      >
        <p className="flex flex-wrap items-baseline gap-x-4">
          <span className="figure text-3xl">{state.meter.text}</span>
          {typeof state.meter.low === 'number' && (
            <span className="text-soft">{t`lowest ${state.meter.low} V`}</span>
          )}
          <span className="ml-auto text-sm text-soft">{t`${minutes(state.at_s)} on the job`}</span>
        </p>
        <ul aria-label={t`What happened`} className="text-sm">
          {recent.map((line) => (
            <li
              key={`${line.act} ${line.at_s} ${line.text}`}
              className={line.kind === 'harm' ? 'font-bold text-fail' : ''}
            >
              {line.kind === 'harm' ? '✕ ' : ''}
              {line.text}
            </li>
          ))}
        </ul>
        <ProblemNote problem={problemOf(hand.act.error)} />
      </div>
      <Switches state={state} go={go} busy={busy} />
      <Choice label={t`What now`} hideLabel options={ROOMS} value={room} onChange={setRoom} />
      {room === 'meter' && <Meter state={state} go={go} busy={busy} />}
      {room === 'look' && <Look go={go} busy={busy} state={state} />}
      {room === 'hands' && <Hands state={state} go={go} busy={busy} />}
      {room === 'parts' && <Parts state={state} go={go} busy={busy} />}
    </div>
  )
}

type Doing = { state: RunState; go: (act: Act) => void; busy: boolean }

/** A plain thing to do. */
function Do({
  act,
  go,
  busy,
  children,
  pressed,
}: {
  act: Act
  go: (act: Act) => void
  busy: boolean
  children: ReactNode
  pressed?: boolean
}) {
  return (
    <Button
      className="px-3 text-sm aria-pressed:bg-ink aria-pressed:text-plane"
      aria-pressed={pressed}
      disabled={busy}
      onClick={() => go(act)}
    >
      {children}
    </Button>
  )
}

const SWITCHES: Record<'thermostat' | 'disconnect' | 'breaker', [string, string]> = {
  thermostat: [t`Thermostat calls`, t`Thermostat off`],
  disconnect: [t`Disconnect in`, t`Disconnect pulled`],
  breaker: [t`Breaker on`, t`Breaker off or tripped`],
}

function Switches({ state, go, busy }: Doing) {
  return (
    <fieldset className="flex flex-wrap gap-2">
      <legend className="text-sm font-bold text-soft">{t`Switches`}</legend>
      {(Object.keys(SWITCHES) as (keyof typeof SWITCHES)[]).map((what) => {
        const on = state.switches[what] ?? false
        return (
          <Do
            key={what}
            go={go}
            busy={busy}
            pressed={on}
            act={{ verb: 'switch', switch: what, on: !on } as Act}
          >
            {SWITCHES[what][on ? 0 : 1]}
          </Do>
        )
      })}
      <Do go={go} busy={busy} pressed={state.locked} act={{ verb: 'lock', on: !state.locked } as Act}>
        {state.locked ? t`Your lock is on` : t`No lock`}
      </Do>
    </fieldset>
  )
}

function Meter({ state, go, busy }: Doing) {
  const [mode, setMode] = useState(state.meter.mode === 'off' ? 'volts' : state.meter.mode)
  const [red, setRed] = useState<string | null>(null)
  const clamping = CLAMPED.has(mode)
  const probe = (terminal: string) => {
    if (red === null || red === terminal) setRed(red === terminal ? null : terminal)
    else {
      go({ verb: 'measure', mode, red, black: terminal } as Act)
      setRed(null)
    }
  }
  const shownRed = red ?? (state.meter.mode === mode ? state.meter.red : null)
  const shownBlack = red === null && state.meter.mode === mode ? state.meter.black : null
  return (
    <div className="grid gap-2">
      <div className="grid grid-cols-[1fr_auto] items-end gap-2">
        <Pick
          label={t`Dial`}
          value={mode}
          onChange={(m) => {
            setMode(m)
            setRed(null)
          }}
          options={MODES}
        />
        {mode === 'inrush' && (
          <Do go={go} busy={busy} act={{ verb: 'arm' } as Act} pressed={state.meter.armed}>
            {state.meter.armed ? t`Armed` : t`Arm`}
          </Do>
        )}
      </div>
      <p className="text-sm text-soft" aria-live="polite">
        {clamping
          ? t`Tap the conductor the clamp goes round.`
          : red === null
            ? t`Tap where the red probe goes, then the black one.`
            : t`Now tap where the black probe goes.`}
      </p>
      <UnitDrawing
        clamping={clamping}
        red={shownRed ?? null}
        black={shownBlack ?? null}
        clamp={state.meter.mode === mode ? (state.meter.clamp ?? null) : null}
        off={state.leads_off}
        onProbe={probe}
        onClamp={(conductor) => go({ verb: 'measure', mode, clamp: conductor } as Act)}
      />
    </div>
  )
}

const SIGHTS: [string, string][] = [
  ['plate', t`Nameplate`],
  ['board', t`Control board`],
  ['breaker', t`Breaker`],
  ['condenser', t`Condenser`],
  ['contactor', t`Contactor points`],
  ['capacitor', t`Capacitor and its label`],
  ['kit', t`A start kit?`],
  ['fan', t`Fan`],
  ['lugs', t`Lugs, by hand`],
  ['terminals', t`Compressor's terminals`],
  ['control_fuse', t`Control fuse`],
  ['fuses', t`Fuses`],
  ['switches', t`Float and pressure switch`],
]
const TOPICS: [string, string][] = [
  ['when', t`Since when, and when?`],
  ['rest', t`How long has it rested?`],
  ['idle', t`Did it stand idle?`],
  ['lines', t`How long are the lines?`],
  ['charge', t`Who touched the charge?`],
]

function Look({ state, go, busy }: Doing) {
  return (
    <div className="grid gap-3">
      <fieldset className="flex flex-wrap gap-2">
        <legend className="text-sm font-bold text-soft">{t`Look at`}</legend>
        {SIGHTS.map(([sight, word]) => (
          <Do key={sight} go={go} busy={busy} act={{ verb: 'look', sight } as Act}>
            {word}
          </Do>
        ))}
      </fieldset>
      <fieldset className="flex flex-wrap gap-2">
        <legend className="text-sm font-bold text-soft">{t`Ask the customer`}</legend>
        {TOPICS.map(([topic, word]) => (
          <Do key={topic} go={go} busy={busy} act={{ verb: 'ask', topic } as Act}>
            {word}
          </Do>
        ))}
      </fieldset>
      <fieldset className="flex flex-wrap gap-2">
        <legend className="text-sm font-bold text-soft">{t`Hand, ear, gauges, clock`}</legend>
        <Do go={go} busy={busy} act={{ verb: 'feel' } as Act}>{t`Hand near the shell`}</Do>
        <Do go={go} busy={busy} act={{ verb: 'listen' } as Act}>{t`Listen`}</Do>
        <Hear state={state} />
        <Do go={go} busy={busy} act={{ verb: 'gauges' } as Act}>{t`Read the gauges`}</Do>
        {[1, 5, 15, 30].map((m) => (
          <Do key={m} go={go} busy={busy} act={{ verb: 'wait', minutes: m } as Act}>{t`Wait ${m} min`}</Do>
        ))}
      </fieldset>
    </div>
  )
}

/** The last start as sound, from the model's torque, current and speed. */
function Hear({ state }: { state: RunState }) {
  const [problem, setProblem] = useState('')
  if (state.starts === 0) return null
  const play = () =>
    new Audio(at(`/api/practice/calls/${state.run.call_number}/starts/${state.starts}.wav`))
      .play()
      .then(() => setProblem(''))
      .catch(() => setProblem(t`No sound here: this device does not play it.`))
  return (
    <>
      <Button className="px-3 text-sm" onClick={play}>{t`♪ Hear the last start`}</Button>
      {problem && <span className="self-center text-sm">{problem}</span>}
    </>
  )
}

const LEADS: [string, string][] = [
  ['compressor', t`Compressor leads`],
  ['run_capacitor', t`Run capacitor leads`],
  ['start_kit', t`Start kit leads`],
  ['coil', t`Coil leads`],
]
const TOOLS = [
  { value: 'resistor', label: t`Resistor` },
  { value: 'spare_resistor', label: t`Spare resistor` },
  { value: 'screwdriver', label: t`Screwdriver` },
]

function Hands({ state, go, busy }: Doing) {
  const [tool, setTool] = useState('resistor')
  const [taped, setTaped] = useState(false)
  return (
    <div className="grid gap-3">
      <fieldset className="grid gap-2">
        <legend className="text-sm font-bold text-soft">{t`Bleed a capacitor`}</legend>
        <Choice label={t`With`} options={TOOLS} value={tool} onChange={setTool} hideLabel />
        <div className="flex flex-wrap gap-2">
          <Do
            go={go}
            busy={busy}
            act={{ verb: 'discharge', section: 'c_herm', tool } as Act}
          >{t`Bleed C to HERM`}</Do>
          <Do
            go={go}
            busy={busy}
            act={{ verb: 'discharge', section: 'c_fan', tool } as Act}
          >{t`Bleed C to FAN`}</Do>
        </div>
      </fieldset>
      <fieldset className="grid gap-2">
        <legend className="text-sm font-bold text-soft">{t`Leads`}</legend>
        <Tick checked={taped} onChange={setTaped}>{t`Tape each end as it comes off`}</Tick>
        <div className="flex flex-wrap gap-2">
          {LEADS.map(([lead, word]) => {
            const off =
              state.leads_off.includes(lead) || (lead === 'coil' && state.leads_off.includes('coil_taped'))
            return (
              <Do
                key={lead}
                go={go}
                busy={busy}
                pressed={off}
                act={{ verb: 'lead', lead, on: off, taped } as Act}
              >
                {word}: {off ? t`off` : t`on`}
              </Do>
            )
          })}
        </div>
      </fieldset>
      <fieldset className="grid justify-items-start gap-2">
        <legend className="text-sm font-bold text-soft">{t`Wire`}</legend>
        <Do go={go} busy={busy} act={{ verb: 'wire' } as Act}>{t`Wire it as checked on the call`}</Do>
        <p className="text-sm text-soft">{t`Wire the leads on the Aid or the Contactor & capacitors rung and check them there. The last check is what gets wired, right or wrong. Then start it and watch.`}</p>
      </fieldset>
    </div>
  )
}

const PARTS: [string, string][] = [
  ['dual_capacitor', t`Dual run capacitor`],
  ['run_capacitor', t`Run capacitor`],
  ['fan_capacitor', t`Fan capacitor`],
  ['contactor', t`Contactor`],
  ['start_kit', t`Start kit`],
  ['soft_starter', t`Soft starter`],
  ['wiring', t`Wire, lug or connection`],
  ['control', t`Control fuse or transformer`],
  ['breaker', t`Breaker`],
  ['fuse', t`Fuse`],
  ['condenser', t`Clean the condenser`],
  ['fan_motor', t`Fan motor`],
  ['charge', t`Refrigerant charge`],
  ['supply', t`Supply, by the utility`],
  ['compressor', t`Compressor`],
]

function Parts({ state, go, busy }: Doing) {
  const [part, setPart] = useState('dual_capacitor')
  const [number, setNumber] = useState('')
  const [mounted, setMounted] = useState('up')
  const [relay, setRelay] = useState('')
  const [rating, setRating] = useState('')
  const aid = part === 'start_kit' || part === 'soft_starter'
  const amps = parseFigure(rating)
  const act = {
    verb: 'replace',
    part,
    ...(aid && number ? { number, upright: mounted === 'up', ...(relay ? { relay } : {}) } : {}),
    ...(part === 'breaker' && typeof amps === 'number' ? { rating_a: amps } : {}),
  } as Act
  return (
    <div className="grid gap-3">
      {state.kit && (
        <p>
          {t`Fitted now:`} <b>{state.kit}</b>
        </p>
      )}
      <Pick
        label={t`Change or mend`}
        value={part}
        onChange={setPart}
        options={PARTS.map(([value, label]) => ({ value, label }))}
      />
      {aid && (
        <>
          <Pick
            label={t`Which one`}
            value={number}
            onChange={setNumber}
            options={[
              { value: '', label: t`None: take the old one off` },
              ...state.aids
                .filter((a) => a.part.startsWith('SS') === (part === 'soft_starter'))
                .map((a) => ({ value: a.part, label: `${a.part} · ${a.title}` })),
            ]}
          />
          {number && part === 'start_kit' && (
            <Pick
              label={t`Relay`}
              value={relay}
              onChange={setRelay}
              options={[
                { value: '', label: t`The kit's own` },
                ...state.relays.map((r) => ({ value: r.part, label: `${r.part} · ${r.title}` })),
              ]}
            />
          )}
          {number && (
            <Choice
              label={t`Mounted`}
              options={[
                { value: 'up', label: t`Arrow up` },
                { value: 'flat', label: t`Flat` },
              ]}
              value={mounted}
              onChange={setMounted}
            />
          )}
        </>
      )}
      {part === 'breaker' && (
        <FigureField label={t`Rating of the new one`} unit="A" value={rating} onChange={setRating} />
      )}
      <div>
        <Button kind="primary" busy={busy} onClick={() => go(act)}>{t`Do it at the unit`}</Button>
      </div>
      <p className="text-sm text-soft">{t`Also enter the change on its step, as on any call.`}</p>
    </div>
  )
}
