import { t } from '@lingui/core/macro'
import { useQueryClient } from '@tanstack/react-query'
import { useCallback, useEffect, useState } from 'react'
import { Link, useLocation } from 'react-router'
import { readingsIn } from '../api/ahead'
import { type Call, OUTBOX, rememberedPerson, type Schemas } from '../api/client'
import { again, aside, flush, list, sweepOutbox, type Waiting } from '../api/outbox'
import { useCall, useReference } from '../api/queries'
import { clock, day } from '../quantities/format'
import { measure } from '../quantities/measures'
import { Button } from './button'
import { TextField } from './field'
import { Sheet } from './sheet'

const SEND_AGAIN_MS = 15_000

/** Everything that waits or was refused on this device, told again whenever that changes. */
export function useOutbox(): Waiting[] {
  const [all, setAll] = useState<Waiting[]>([])
  const look = useCallback(() => {
    list().then(setAll, () => undefined)
  }, [])
  useEffect(() => {
    look()
    // Another tab of this device tells of it by its own count.
    for (const event of [OUTBOX, 'storage']) window.addEventListener(event, look)
    return () => {
      for (const event of [OUTBOX, 'storage']) window.removeEventListener(event, look)
    }
  }, [look])
  return all
}

const isMine = (w: Waiting) => w.person === rememberedPerson()

/** How many entries wait here, and what became of each; sends them while there is signal. */
export function OutboxBar({ lost }: { lost: boolean }) {
  const cache = useQueryClient()
  const all = useOutbox()
  const [open, setOpen] = useState(false)
  const waiting = all.filter((w) => w.fate === 'waiting')
  const refused = all.filter((w) => w.fate === 'refused')
  const due = !lost && waiting.some(isMine)
  useEffect(() => {
    sweepOutbox().catch(() => undefined)
  }, [])
  useEffect(() => {
    if (!due) return
    const send = () => flush().then(() => cache.invalidateQueries())
    const first = window.setTimeout(send, 500)
    const more = window.setInterval(send, SEND_AGAIN_MS)
    return () => {
      window.clearTimeout(first)
      window.clearInterval(more)
    }
  }, [due, cache])
  if (all.length === 0) return null
  const say = [
    waiting.length > 0 &&
      (waiting.length === 1 ? t`1 entry waits here` : t`${waiting.length} entries wait here`),
    refused.length > 0 && t`${refused.length} refused`,
  ].filter(Boolean)
  return (
    <div
      className={`flex shrink-0 items-center gap-3 border-b-2 border-ink px-3 ${refused.length > 0 ? 'bg-field text-fail' : 'bg-field'}`}
    >
      <p role="status" className="font-bold">
        {refused.length > 0 ? '✕' : '▸'} {say.join(' · ')}
      </p>
      <button
        type="button"
        className="ml-auto min-h-11 underline"
        onClick={() => setOpen(true)}
      >{t`Show`}</button>
      <Sheet
        open={open}
        onOpenChange={setOpen}
        title={t`Entered without signal`}
        note={t`Sent in this order when you have signal.`}
      >
        <ul className="grid gap-3">
          {all.map((w) => (
            <li key={w.seq}>
              <One entry={w} onGone={() => setOpen(false)} />
            </li>
          ))}
        </ul>
      </Sheet>
    </div>
  )
}

const FATES = { waiting: t`▸ Waits`, refused: t`✕ Refused`, aside: t`○ Set aside` } as const

/** One entry: what was said here, what the server says to it, how the call stands, and the ways out. */
function One({ entry, onGone }: { entry: Waiting; onGone?: () => void }) {
  const reference = useReference()
  const [reason, setReason] = useState('')
  const [busy, setBusy] = useState(false)
  const moment = new Date(entry.made_ms).toISOString()
  const mine = isMine(entry)
  const dead = entry.fate === 'refused' && wantsReason(entry)
  // Of a state of the call that is gone: sent again, it proves no more than before.
  const stale = entry.kind === 'make-safe' && entry.problem?.code === 'conflict'
  const act = (step: Promise<unknown>) => {
    setBusy(true)
    step.finally(() => setBusy(false))
  }
  return (
    <article className="border-2 border-line bg-field p-3" aria-label={wordsOf(entry, reference.data)}>
      <p className="flex flex-wrap gap-x-3">
        <b className={entry.fate === 'refused' ? 'text-fail' : ''}>{FATES[entry.fate]}</b>
        <span>{entry.where}</span>
      </p>
      <p className="text-lg break-words">{wordsOf(entry, reference.data)}</p>
      <p className="text-sm text-soft">
        {entry.by}, {day(moment)} {clock(moment)}
        {!mine && t`. Sent when they sign in on this device again.`}
      </p>
      {entry.problem && entry.fate !== 'waiting' && (
        <div className="mt-2 border-l-[7px] border-fail pl-3">
          <p className="break-words">{t`The server: ${
            (entry.problem.errors ?? []).map((e) => t`${e.label ?? e.field}: enter ${e.wanted}.`).join(' ') ||
            entry.problem.detail
          }`}</p>
          {entry.problem.next_step && <p className="font-bold">→ {entry.problem.next_step}</p>}
          <StandsNow id={entry.call} entry={entry} />
        </div>
      )}
      {entry.fate !== 'waiting' && mine && (
        <div className="grid gap-2 pt-2">
          {dead && <TextField label={t`Why it was done anyway`} value={reason} onChange={setReason} />}
          <div className="flex flex-wrap gap-2">
            {!stale && (
              <Button
                kind="primary"
                busy={busy}
                disabled={dead && reason.trim().length < 3}
                onClick={() => act(again(entry.seq, dead ? reason.trim() : undefined))}
              >
                {dead ? t`Send with this reason` : t`Send it again`}
              </Button>
            )}
            <Link
              to={`/calls/${entry.call}/${RUNG[entry.kind] ?? ''}`}
              onClick={onGone}
              className="flex min-h-11 items-center px-2 underline underline-offset-4"
            >
              {stale ? t`Take the volts again` : t`Open the call`}
            </Link>
            {entry.fate === 'refused' && (
              <Button kind="quiet" busy={busy} onClick={() => act(aside(entry.seq))}>{t`Set aside`}</Button>
            )}
          </div>
        </div>
      )}
    </article>
  )
}

const RUNG: Record<string, string> = {
  'make-safe': 'make_safe',
  'safety-events': 'live_tests',
  changes: 'prove',
  'work/plans': 'parts',
}

/** How the call itself stands: the other side of a refusal. */
function StandsNow({ id, entry }: { id: number; entry: Waiting }) {
  const call = useCall(id).data
  if (!call) return null
  const last = call.events.at(-1)
  const said = readingsIn(entry)
  const there = said
    .map((r) =>
      call.readings.findLast((o) => o.entry.quantity === r.quantity && o.id > 0 && !o.superseded_by_id),
    )
    .find(Boolean)
  return (
    <p className="text-sm">
      {t`On the call now: ${call.status === 'closed' ? t`closed` : call.state.words}. ${call.state.why}`}
      {last && t` Last: ${EVENTS[last.kind] ?? t`Make safe`}, ${last.person}, ${clock(last.happened_at)}.`}
      {there && t` There: ${spoken(there.entry.value, there.unit)}, ${there.person}.`}
    </p>
  )
}

const wantsReason = (entry: Waiting) =>
  entry.problem?.status === 409 &&
  (entry.kind === 'tests' || readingsIn(entry).length > 0) &&
  /reason/.test(entry.problem.next_step ?? '')

const spoken = (value: unknown, unit: string): string =>
  typeof value === 'number'
    ? measure(value, unit)
    : value === true
      ? 'yes'
      : value === false
        ? 'no'
        : String(value ?? '')

const EVENTS: Record<string, string> = {
  caution_read: t`Caution read`,
  control_live: t`Control voltage back`,
  went_live: t`Went live`,
  lapsed: t`Dead check expired`,
}

/** What an entry says, as it is read aloud. */
export function wordsOf(entry: Waiting, known: Schemas['Reference'] | undefined): string {
  const said = entry.said as Record<string, unknown>
  const readings = readingsIn(entry)
  if (readings.length > 0)
    return readings
      .map((r) => {
        const note = known?.quantities.find((q) => q.quantity === r.quantity)
        return `${note?.label ?? r.quantity}${r.spot ? `, ${r.spot}` : ''} ${spoken(r.value, note?.unit ?? '')}`.trim()
      })
      .join(' · ')
  if (entry.kind === 'make-safe') return t`Make safe`
  if (entry.kind === 'safety-events') return EVENTS[String(said.kind)] ?? t`A step of safety`
  if (entry.kind === 'tests')
    return known?.call_tests.find((test) => test.topic === said.topic)?.label ?? t`A test`
  if (entry.kind === 'changes') return String(said.what)
  if (entry.kind === 'photos') return t`Photograph`
  if (entry.kind === 'sounds') return t`Recording of a start`
  return t`${String(said.title)}: ${(said.ticked as unknown[] | undefined)?.length ?? 0} ticked`
}

/** In a call's rung: what was refused of it stands where it was entered, with both sides and the ways out. */
export function OutboxOfCall({ call }: { call: Call }) {
  const own = useOutbox().filter((w) => w.call === call.id && w.fate !== 'aside')
  const { pathname } = useLocation()
  const refused = own.filter((w) => w.fate === 'refused')
  if (own.length === 0) return null
  return (
    <section aria-label={t`Entered without signal`} className="mb-4 grid gap-2" key={pathname}>
      {refused.map((w) => (
        <One key={w.seq} entry={w} />
      ))}
      {own.length > refused.length && (
        <p className="border-l-[7px] border-unknown bg-field p-3">
          {own.length - refused.length === 1
            ? t`1 entry here is still on this device. The server will check it.`
            : t`${own.length - refused.length} entries here are still on this device. The server will check them.`}
        </p>
      )}
    </section>
  )
}

/** Photographs that wait, as they will stand there. */
export function WaitingPhotos({ call }: { call: Call }) {
  const own = useOutbox().filter((w) => w.call === call.id && w.kind === 'photos' && w.fate === 'waiting')
  if (own.length === 0) return null
  return (
    <ul className="grid grid-cols-2 gap-3 sm:grid-cols-3" aria-label={t`Photographs that wait`}>
      {own.map((w) => (
        <li key={w.seq} className="border border-dashed border-ink bg-field">
          <Picture body={w.body} type={w.type} />
          <p className="p-2 text-sm">{t`Waits here. ${clock(new Date(w.made_ms).toISOString())}`}</p>
        </li>
      ))}
    </ul>
  )
}

function Picture({ body, type }: { body: ArrayBuffer; type: string | null }) {
  const [url, setUrl] = useState('')
  useEffect(() => {
    const made = URL.createObjectURL(new Blob([body], { type: type ?? 'image/jpeg' }))
    setUrl(made)
    return () => URL.revokeObjectURL(made)
  }, [body, type])
  return url ? <img src={url} alt={t`Waits to be sent`} className="h-32 w-full object-cover" /> : null
}
