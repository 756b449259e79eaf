import { t } from '@lingui/core/macro'
import { type ComponentType, lazy, type ReactNode, Suspense, useEffect, useRef, useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { at, type Call, PRACTICE, problemOf, type Rung } from '../../api/client'
import { useCall, useEditCall } from '../../api/queries'
import { Ladder } from '../../ladder/ladder'
import { MeterLine } from '../../meter/use-meter'
import { Boundary } from '../../parts/boundary'
import { Button } from '../../parts/button'
import { ClockWord } from '../../parts/clock-word'
import { early } from '../../parts/early'
import { TextField } from '../../parts/field'
import { useKey } from '../../parts/keys'
import { ProblemNote } from '../../parts/problem'
import { ReadOnlyRoom } from '../../parts/read-only'
import { Sheet } from '../../parts/sheet'
import { StateWord } from '../../parts/state-word'
import { Stops } from '../../parts/stops'
import { useTitle, useWide } from '../../parts/title'
import { useWaits } from '../../parts/waits'
import { usePerson } from '../../parts/who'
import { clock, day } from '../../quantities/format'
import { useSkip } from './why/use-why'

const MakeSafe = lazy(early(() => import('./make-safe').then((m) => ({ default: m.MakeSafe }))))
const PlateRung = lazy(early(() => import('./plate').then((m) => ({ default: m.PlateRung }))))
const DeadTests = lazy(early(() => import('./dead-tests').then((m) => ({ default: m.DeadTests }))))
const LiveTests = lazy(early(() => import('./live-tests').then((m) => ({ default: m.LiveTests }))))
const WhyRung = lazy(early(() => import('./why/why').then((m) => ({ default: m.WhyRung }))))
const AidRung = lazy(early(() => import('./aid').then((m) => ({ default: m.AidRung }))))
const PartsRung = lazy(early(() => import('./work/parts-rung').then((m) => ({ default: m.PartsRung }))))
const CircuitRung = lazy(early(() => import('./work/circuit-rung').then((m) => ({ default: m.CircuitRung }))))
const HandOver = lazy(early(() => import('./hand-over/hand-over').then((m) => ({ default: m.HandOver }))))
const PracticeCall = lazy(() =>
  import('../../practice/at-the-unit').then((m) => ({ default: m.PracticeCall })),
)
const UnitBar = lazy(() => import('../../practice/at-the-unit').then((m) => ({ default: m.UnitBar })))
const UnitDock = lazy(() => import('../../practice/at-the-unit').then((m) => ({ default: m.UnitDock })))
const Prove = lazy(early(() => import('./prove').then((m) => ({ default: m.Prove }))))

/** Each rung's code is loaded when it is opened. */
const RUNGS: Record<string, ComponentType<{ call: Call }>> = {
  make_safe: MakeSafe,
  plate: PlateRung,
  dead_tests: DeadTests,
  live_tests: LiveTests,
  why: WhyRung,
  aid: AidRung,
  parts: PartsRung,
  circuit: CircuitRung,
  prove: Prove,
  hand_over: HandOver,
}

export function CallScreen() {
  const { id, rung: opened } = useParams()
  const call = useCall(Number(id))
  const navigate = useNavigate()
  const [closing, setClosing] = useState(false)
  const rungs = call.data?.ladder.rungs ?? []
  // From rung to rung the way back stays one step: to the ladder, then out.
  const show = (key: string) => navigate(`/calls/${id}/${key}`, { replace: Boolean(opened) })
  useKey((key) => {
    if (/^[0-9]$/.test(key)) {
      const hit = rungs.find((r) => r.number === (key === '0' ? 10 : Number(key)))
      if (hit) show(hit.key)
    }
    if (key === 'n') show('live_tests')
  })
  if (call.isPending) return <p className="p-6">{t`Opening…`}</p>
  if (!call.data)
    return (
      <div className="mx-auto max-w-xl p-6">
        <ProblemNote problem={problemOf(call.error)} onRetry={() => call.refetch()} />
        <Link to="/calls" className="inline-block py-3 underline">{t`Back to Calls`}</Link>
      </div>
    )
  const rung = rungs.find((r) => r.key === opened) ?? null
  const screen = (
    <div className="flex min-h-full flex-col lg:h-full">
      <Head call={call.data} closing={closing} onClosing={setClosing} />
      {PRACTICE && <UnitBar call={call.data} />}
      {call.isError && (
        <div className="p-2">
          <ProblemNote problem={problemOf(call.error)} />
        </div>
      )}
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)] lg:grid-cols-[minmax(27rem,34rem)_minmax(0,1fr)]">
        <div className={`relative min-h-0 p-3 lg:overflow-y-auto ${rung ? 'hidden lg:block' : ''}`}>
          <Dock>
            <Ladder rungs={rungs} selected={rung?.key ?? null} onOpen={show} />
            {call.data.next && (
              <Next call={call.data} next={call.data.next} onOpen={show} onFinish={() => setClosing(true)} />
            )}
          </Dock>
        </div>
        <div
          className={`relative min-h-0 border-line lg:overflow-y-auto lg:border-l-2 ${rung ? '' : 'hidden lg:block'}`}
        >
          {rung ? (
            <Line call={call.data}>
              <Workbench
                call={call.data}
                rung={rung}
                onClose={() => navigate(`/calls/${id}`)}
                onOpen={show}
                onFinish={() => setClosing(true)}
              />
            </Line>
          ) : (
            <Start call={call.data} onOpen={show} onFinish={() => setClosing(true)} />
          )}
        </div>
      </div>
    </div>
  )
  return PRACTICE ? (
    <Suspense fallback={<p className="p-6">{t`Opening…`}</p>}>
      <PracticeCall call={call.data}>{screen}</PracticeCall>
    </Suspense>
  ) : (
    screen
  )
}

/** The ladder's place, which the unit may take in practice. */
function Dock({ children }: { children: ReactNode }) {
  return PRACTICE ? <UnitDock>{children}</UnitDock> : children
}

/** A line to a real meter, where one does not practise. */
function Line({ call, children }: { call: Call; children: ReactNode }) {
  return PRACTICE ? children : <MeterLine callId={call.id}>{children}</MeterLine>
}

type Step = NonNullable<Call['next']>

/** The title of the rung a step is done on; closing has none. */
function titleOf(call: Call, step: Step): string {
  return call.ladder.rungs.find((r) => r.key === step.rung)?.title ?? t`close the call`
}

interface Leads {
  call: Call
  next: Step
  onOpen: (key: string) => void
  /** Where only closing is left. */
  onFinish: () => void
}

function Next({ call, next, onOpen, onFinish }: Leads) {
  return (
    <button
      type="button"
      onClick={() => (next.rung ? onOpen(next.rung) : onFinish())}
      className="mt-3 block w-full border-2 border-line bg-field px-3 py-2 text-left"
    >
      <span className="text-sm text-soft">{t`Next · ${titleOf(call, next)}`}</span>
      <span className="block font-bold">→ {next.text}</span>
    </button>
  )
}

function Head({
  call,
  closing,
  onClosing,
}: {
  call: Call
  closing: boolean
  onClosing: (on: boolean) => void
}) {
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-line bg-plane px-3 py-2">
      {call.status === 'open' ? (
        <StateWord state={call.state} large />
      ) : (
        <span className="border-2 border-line px-3 py-1 font-bold text-soft">{t`CLOSED`}</span>
      )}
      <div className="min-w-28 flex-1">
        <h1 className="leading-tight font-bold">
          {call.site.name} · <Link to={`/units/${call.unit_id}`}>{call.unit}</Link>
        </h1>
        <p className="truncate text-sm text-soft">
          “{call.complaint}” · {call.opened_by}, {day(call.opened_at)} {clock(call.opened_at)}
          {call.status === 'closed' ? t` · closed` : ''}
        </p>
        {call.imported && <p className="text-sm font-bold">△ {call.imported}</p>}
      </div>
      <p className="hidden text-sm text-soft xl:block">
        {call.status === 'open' && call.state.why}
        {call.status === 'open' && call.state.lapses_at && t` Good until ${clock(call.state.lapses_at)}.`}
      </p>
      <p aria-live="polite" className="sr-only">
        {call.status === 'open' ? `${call.state.words}. ${call.state.why ?? ''}` : t`Closed.`}
      </p>
      {call.clocks[0] && <ClockWord clock={call.clocks[0]} />}
      <EditCall call={call} open={closing} onOpen={onClosing} />
    </div>
  )
}

function EditCall({
  call,
  open,
  onOpen: setOpen,
}: {
  call: Call
  open: boolean
  onOpen: (on: boolean) => void
}) {
  return (
    <>
      <Button onClick={() => setOpen(true)} className="px-3 text-sm">
        {call.status === 'open' ? t`Notes & close` : t`Notes`}
      </Button>
      <Sheet open={open} onOpenChange={setOpen} title={t`The call`}>
        <EditForm call={call} onDone={() => setOpen(false)} />
      </Sheet>
    </>
  )
}

function EditForm({ call, onDone }: { call: Call; onDone: () => void }) {
  const edit = useEditCall(call.id)
  const [version, setVersion] = useState(call.version)
  const [complaint, setComplaint] = useState(call.complaint)
  const [note, setNote] = useState(call.note)
  const [spoken, setSpoken] = useState(call.spoken_to)
  const [ordered, setOrdered] = useState(call.parts_ordered)
  const problem = problemOf(edit.error)
  const conflict = problem?.status === 409 && call.version !== version
  const [reason, setReason] = useState('')
  const leaves = call.status === 'open' ? call.left_open : []
  const save = (status?: 'open' | 'closed') =>
    edit.mutate(
      {
        version,
        complaint,
        note,
        spoken_to: spoken,
        parts_ordered: ordered,
        status: status ?? null,
        reason: reason.trim() || null,
      },
      { onSuccess: onDone },
    )
  return (
    <div className="grid gap-4">
      <TextField label={t`Complaint`} value={complaint} onChange={setComplaint} wide />
      <TextField
        label={t`Note`}
        hint={t`What the next tech should know.`}
        value={note}
        onChange={setNote}
        wide
      />
      <TextField
        label={t`Customer contact`}
        hint={t`Who you talked to and what you agreed on.`}
        value={spoken}
        onChange={setSpoken}
      />
      <TextField label={t`Parts ordered`} value={ordered} onChange={setOrdered} />
      {leaves.length > 0 && (
        <section aria-label={t`Left open`} className="border-2 border-line bg-field p-3">
          <h3 className="font-bold">{t`Still open if you close now`}</h3>
          <ul className="list-disc pl-5">
            {leaves.map((p) => (
              <li key={p.code + p.text}>
                {p.text} <span className="text-soft">→ {p.next_step}</span>
              </li>
            ))}
          </ul>
          <TextField
            label={t`Why leave them open?`}
            hint={t`Needed only to close with open items. It is saved.`}
            value={reason}
            onChange={setReason}
          />
        </section>
      )}
      <ProblemNote problem={problem} />
      {conflict && (
        <div className="border-2 border-line bg-field p-3">
          <p className="font-bold">{t`Current text:`}</p>
          <p className="break-words whitespace-pre-wrap">{call.note || t`no note`}</p>
          <Button className="mt-2" onClick={() => setVersion(call.version)}>{t`Save mine over it`}</Button>
        </div>
      )}
      <div className="flex flex-wrap gap-2">
        <Button kind="primary" busy={edit.isPending} onClick={() => save()}>{t`Save`}</Button>
        {call.status === 'open' ? (
          <Button
            busy={edit.isPending}
            disabled={leaves.length > 0 && reason.trim().length < 3}
            onClick={() => save('closed')}
          >{t`Save and close the call`}</Button>
        ) : (
          <Button onClick={() => save('open')}>{t`Open it again`}</Button>
        )}
        <a
          href={at(`/api/calls/${call.id}/readings.csv`)}
          className="inline-flex min-h-11 items-center px-3 underline underline-offset-4"
        >{t`Readings as CSV`}</a>
      </div>
    </div>
  )
}

function Start({ call, onOpen, onFinish }: Omit<Leads, 'next'>) {
  useTitle(`${call.site.name}, ${call.unit}`)
  const { next } = call
  return (
    <div className="max-w-2xl p-5">
      <Stops call={call} />
      {next ? (
        <>
          <h2 className="text-xl font-bold">{t`What next?`}</h2>
          <div className="pt-2">
            <p className="pb-3 text-lg">{next.text}</p>
            <Button kind="primary" onClick={() => (next.rung ? onOpen(next.rung) : onFinish())}>
              {next.rung ? t`Open ${titleOf(call, next)}` : t`Close the call`}
            </Button>
          </div>
        </>
      ) : (
        <h2 className="text-xl font-bold">{t`This call is closed`}</h2>
      )}
      <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1 pt-6 text-sm">
        <dt className="text-soft">{t`Unit`}</dt>
        <dd>{call.kind || t`not entered`}</dd>
        <dt className="text-soft">{t`Place`}</dt>
        <dd>{call.site.place || t`not entered`}</dd>
        <dt className="text-soft">{t`Access`}</dt>
        <dd>{[call.site.access_note, call.unit_access].filter(Boolean).join(' ') || t`nothing noted`}</dd>
        {call.site.contact && (
          <>
            <dt className="text-soft">{t`Contact`}</dt>
            <dd>{call.site.contact}</dd>
          </>
        )}
        {call.unit_label && (
          <>
            <dt className="text-soft">{t`Label`}</dt>
            <dd>{call.unit_label}</dd>
          </>
        )}
        <dt className="text-soft">{t`Unit note`}</dt>
        <dd>{call.unit_note || t`nothing noted`}</dd>
        {call.note && (
          <>
            <dt className="text-soft">{t`Call note`}</dt>
            <dd className="break-words whitespace-pre-wrap">{call.note}</dd>
          </>
        )}
      </dl>
    </div>
  )
}

function ClosedNote({ call }: { call: Call }) {
  return (
    <p className="mb-4 border-l-[7px] border-line bg-field p-3">
      {t`This call is closed. You can read it, not change it. It keeps the judgment from when it was closed`}
      {call.closed_at && `, ${day(call.closed_at)} ${clock(call.closed_at)}`}.
      {call.closed_reason && t` Left open: ${call.closed_reason}`}
    </p>
  )
}

function Troubles({ call }: { call: Call }) {
  if (call.troubles.length === 0) return null
  return (
    <ul className="mb-4 border-l-[7px] border-unknown bg-field p-3">
      {call.troubles.map((trouble) => (
        <li key={trouble}>{trouble}</li>
      ))}
    </ul>
  )
}

const OutboxOfCall = lazy(
  early(() => import('../../parts/outbox').then((m) => ({ default: m.OutboxOfCall }))),
)

/** What waits or was refused of this call; its code comes where anything does. */
function OutboxOf({ call }: { call: Call }) {
  const waits = useWaits()
  if (waits === 0) return null
  return (
    <Suspense fallback={null}>
      <OutboxOfCall call={call} />
    </Suspense>
  )
}

/** The way on and the way back: in the head where there is room, under the thumb on a phone. */
function Way({
  call,
  here,
  onClose,
  onOpen,
  onFinish,
  className,
}: Omit<Leads, 'next'> & { here: Rung; onClose: () => void; className: string }) {
  const { next } = call
  const { may } = usePerson()
  return (
    <div className={`flex items-center gap-3 ${className}`}>
      <Button kind="quiet" className="px-2" onClick={onClose}>{t`Ladder`}</Button>
      {next &&
        (next.rung === here.key ? (
          <div className="flex min-w-0 items-center gap-2">
            <button
              type="button"
              className="min-h-11 min-w-0 flex-1 py-1 text-left text-sm leading-tight"
              onClick={() =>
                document
                  .querySelector(`[data-step="${next.anchor}"]`)
                  ?.scrollIntoView({ block: 'start', behavior: 'smooth' })
              }
            >
              <span role="status">
                <b>{t`Now:`}</b> {next.text}
              </span>
            </button>
            {next.skip && may.includes('work') && <Skip call={call} test={next.skip} />}
          </div>
        ) : (
          <Button
            className="px-2 text-sm"
            onClick={() => (next.rung ? onOpen(next.rung) : onFinish())}
          >{t`Next: ${titleOf(call, next)}`}</Button>
        ))}
    </div>
  )
}

/** Skip a test that cannot be done here; Why lists it and offers it again. */
function Skip({ call, test }: { call: Call; test: string }) {
  const skip = useSkip(call.id)
  return (
    <Button
      kind="quiet"
      className="flex-none px-2 text-sm"
      busy={skip.isPending}
      onClick={() => skip.mutate({ test, skipped: true })}
    >
      {skip.error ? t`Not skipped. Try again` : t`Skip`}
    </Button>
  )
}

function Workbench({
  call,
  rung,
  onClose,
  onOpen,
  onFinish,
}: {
  call: Call
  rung: Rung
  onClose: () => void
  onOpen: (key: string) => void
  onFinish: () => void
}) {
  const { person, may } = usePerson()
  const Room = RUNGS[rung.key]
  const wide = useWide()
  const head = useRef<HTMLHeadingElement>(null)
  useTitle(`${rung.title} · ${call.site.name}, ${call.unit}`)
  // biome-ignore lint/correctness/useExhaustiveDependencies: a rung opens at its top, and says its name
  useEffect(() => {
    const top = head.current?.closest('section')
    if (!wide) top?.parentElement?.scrollIntoView({ block: 'start' })
    else if (top?.parentElement) top.parentElement.scrollTop = 0
    head.current?.focus({ preventScroll: true })
  }, [rung.key])
  const edge = rung.danger === 'live' ? 'edge-live' : 'edge-dead'
  return (
    <section
      aria-label={rung.title}
      className={`min-h-full bg-plane ${rung.danger === 'none' ? '' : edge}`}
      key={rung.key}
    >
      <div className="sticky top-0 z-10 flex flex-wrap items-center gap-x-3 border-b-2 border-ink bg-plane px-4 py-1">
        <span className="figure text-soft">{rung.number}</span>
        <h2 ref={head} tabIndex={-1} className="text-xl font-bold outline-none">
          {rung.title}
        </h2>
        {rung.danger !== 'none' && (
          <span className={`font-bold ${rung.danger === 'live' ? 'text-orange-ink' : 'text-dead'}`}>
            {rung.danger === 'live' ? t`POWER ON` : t`POWER OFF`}
          </span>
        )}
        {!wide && call.status === 'open' && (
          <span className="ml-auto">
            <StateWord state={call.state} />
          </span>
        )}
        {wide && (
          <Way
            call={call}
            here={rung}
            onClose={onClose}
            onOpen={onOpen}
            onFinish={onFinish}
            className="ml-auto"
          />
        )}
      </div>
      <div className="p-4">
        {rung.key !== 'why' && <Stops call={call} />}
        <OutboxOf call={call} />
        <Troubles call={call} />
        {call.status === 'closed' && <ClosedNote call={call} />}
        {call.status !== 'closed' && !may.includes('work') && (
          <p className="mb-4 border-l-[7px] border-line bg-field p-3">
            {t`Signed in as`} {person?.role}
            {t`: view only. A technician or the lead enters the work.`}
          </p>
        )}
        <ReadOnlyRoom on={call.status === 'closed' || !may.includes('work')}>
          <Boundary place={`${call.id} ${rung.key}`}>
            <Suspense fallback={<p>{t`Opening…`}</p>}>{Room && <Room call={call} />}</Suspense>
          </Boundary>
        </ReadOnlyRoom>
      </div>
      {!wide && (
        <Way
          call={call}
          here={rung}
          onClose={onClose}
          onOpen={onOpen}
          onFinish={onFinish}
          className="sticky bottom-0 z-20 border-t-2 @max-[17rem]:static border-ink bg-plane px-3 py-1 [&>:last-child]:flex-1"
        />
      )}
    </section>
  )
}
