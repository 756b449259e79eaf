import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { answer, type Call, client, type NewReading, PRACTICE, problemOf, type Schemas } from '../api/client'
import { useAddReading } from '../api/queries'
import { Button } from '../parts/button'
import { Pick } from '../parts/pick'
import { ProblemNote } from '../parts/problem'
import { useReadOnly } from '../parts/read-only'
import { figure } from '../quantities/format'
import { type LiveValue, useMeterLine } from './use-meter'

const PLACES: Record<string, string> = {
  line: t`line side`,
  load: t`load side`,
  pole: t`across a closed pole`,
  coil: 'coil',
  start_winding: t`S to C`,
  common: t`common (C)`,
  run: t`run (R)`,
  start: t`start (S)`,
  fan: 'fan',
  whole_unit: t`whole unit, one leg`,
  panel: 'panel',
}
const MODES: Record<string, string> = {
  off: 'off',
  volts: 'volts',
  volts_low_z: t`volts, low impedance`,
  amps: 'amps',
  inrush: 'inrush',
  max_hold: t`max hold`,
  peak: 'peak',
}

/** The meter that is read live: what it shows, its dial where it can be told, one tap to the record. */
export function MeterBar({ call }: { call: Call }) {
  const line = useMeterLine()
  const closed = useReadOnly()
  const meters = useQuery({
    queryKey: ['meters'],
    queryFn: () => answer(client.GET('/api/meters')),
    enabled: !PRACTICE,
  })
  const usable = meters.data?.filter((m) => !m.trouble) ?? []
  const broken = meters.data?.filter((m) => m.trouble) ?? []
  // In practice the meter stands in the bar above, and the unit it is on beside it. While the list loads the bar
  // keeps its place: a field below that moves under the finger loses the tap.
  if (PRACTICE || !line || closed || meters.isError || meters.data?.length === 0) return null
  const meter = usable.find((m) => m.key === line.key)
  const shown = line.now?.values.filter((v) => v.shown.value !== null || v.shown.odd) ?? []
  return (
    <section aria-label={t`Live meter`} className="border-2 border-line bg-field p-3">
      <div className="flex flex-wrap items-end gap-3">
        <div className="min-w-0 flex-1 basis-44">
          <Pick
            label={t`Meter, read live`}
            value={meter ? meter.key : ''}
            onChange={line.connect}
            options={[
              { value: '', label: t`None: type what it shows` },
              ...usable.map((m) => ({ value: m.key, label: m.name })),
            ]}
          />
        </div>
        {line.now?.connected && line.now.connected > 1 ? (
          <p className="pb-3 text-sm font-bold text-watch">{t`△ ${line.now.connected} read this meter: agree whose probes they are.`}</p>
        ) : null}
      </div>
      {broken.map((m) => (
        <p key={m.key} className="pt-2 text-sm text-fail">
          {t`Map ${m.key}:`} {m.trouble}
        </p>
      ))}
      {meter && line.lost && (
        <p role="alert" className="mt-2 border-l-[7px] border-unknown p-2">
          <b>{t`No values.`}</b> {line.lost.detail} → {line.lost.next_step}
        </p>
      )}
      {meter && line.now && (
        <>
          <Dial meter={meter} now={line.now} />
          <Switches meter={meter} standing={line.now.switches} />
          {meter.records && <TakeRecording call={call} meter={meter} />}
          {shown.length === 0 && (
            <p className="pt-2 text-soft">
              {line.now.waits
                ? t`Armed: waits for the start.`
                : t`The meter shows nothing: dial, place, and for inrush arm it first.`}
            </p>
          )}
          <ul aria-label={t`Shown now`} className="pt-1">
            {shown.map((v) => (
              <ShownLine key={`${v.shown.quantity} ${v.shown.place} ${v.shown.mode}`} call={call} live={v} />
            ))}
          </ul>
        </>
      )}
    </section>
  )
}

/** What has a field of its own on the rung: it is taken there. */
const FIELDED = new Set([
  'line_v_idle',
  'line_v_run',
  'inrush_a',
  'running_a',
  'fan_a',
  'coil_v',
  'contactor_drop_v',
])

function ShownLine({ call, live }: { call: Call; live: LiveValue }) {
  const add = useAddReading(call.id)
  const { shown, fill } = live
  return (
    <li className="flex flex-wrap items-center gap-x-3 border-b border-faint py-1">
      <span className="figure min-w-28 text-2xl">
        {shown.value === null || shown.value === undefined ? '–' : `${figure(shown.value)} ${shown.unit}`}
      </span>
      <span className="min-w-0 flex-1 text-soft">
        {PLACES[shown.place] ?? shown.place}
        {shown.mode && `, ${MODES[shown.mode] ?? shown.mode}`}
        {shown.odd && <span className="block text-fail">{shown.odd}</span>}
      </span>
      {fill && FIELDED.has(fill.quantity) && <span className="text-sm">{t`Take it at its field.`}</span>}
      {fill && !FIELDED.has(fill.quantity) && shown.value !== null && shown.value !== undefined && (
        <Button
          busy={add.isPending}
          onClick={() =>
            add.mutate({ quantity: fill.quantity, value: shown.value, ...besideOf(fill) } as NewReading)
          }
        >{t`Take ${figure(shown.value)} ${shown.unit}`}</Button>
      )}
      <div className="basis-full empty:hidden">
        <ProblemNote problem={problemOf(add.error)} />
      </div>
    </li>
  )
}

/** What is kept with a value that is taken from a meter. */
export function besideOf(fill: Schemas['Fill']): Partial<NewReading> {
  return {
    ...(fill.conductor ? { conductor: fill.conductor } : {}),
    ...(fill.mode ? { mode: fill.mode } : {}),
    ...(typeof fill.volts === 'number' && fill.quantity.endsWith('_a') ? { volts: fill.volts } : {}),
  }
}

/** Dial and probes of a meter that can be told; another's are turned by hand. */
function Dial({ meter, now }: { meter: Schemas['MeterOut']; now: Schemas['LiveValues'] }) {
  const { waits } = now
  // What was just turned stands until the meter says so itself.
  const [turned, setTurned] = useState<{ mode: string; place: string } | null>(null)
  const mode = turned?.mode ?? now.mode ?? ''
  const place = turned?.place ?? now.place ?? ''
  const params = { path: { key: meter.key } }
  const set = useMutation({
    scope: hand(meter.key),
    mutationFn: (next: { mode: string; place: string }) =>
      answer(client.POST('/api/meters/{key}/dial', { params, body: next }).then(whole)),
  })
  const arm = useMutation({
    scope: hand(meter.key),
    mutationFn: () => answer(client.POST('/api/meters/{key}/arm', { params }).then(whole)),
  })
  // A slow answer must not put an older dial back under the next turn.
  const reached = turned !== null && turned.mode === now.mode && turned.place === now.place
  useEffect(() => {
    if (reached) setTurned(null)
  }, [reached])
  if (meter.modes.length === 0 && !meter.can_arm) return null
  const turn = (next: { mode: string; place: string }) => {
    setTurned(next)
    set.mutate(next, { onError: () => setTurned(null) })
  }
  return (
    <div className="grid grid-cols-2 items-end gap-3 pt-2 sm:grid-cols-3">
      {meter.modes.length > 0 && (
        <>
          <Pick
            label={t`Dial`}
            value={mode}
            onChange={(m) => turn({ mode: m, place })}
            options={meter.modes.map((m) => ({ value: m, label: MODES[m] ?? m }))}
          />
          <Pick
            label={t`Probes or clamp at`}
            value={place}
            onChange={(p) => turn({ mode, place: p })}
            options={meter.places.map((p) => ({ value: p, label: PLACES[p] ?? p }))}
          />
        </>
      )}
      {meter.can_arm && (
        <Button busy={arm.isPending} disabled={set.isPending} onClick={() => arm.mutate()}>
          {waits ? t`Armed` : t`Arm inrush`}
        </Button>
      )}
      <div className="col-span-full empty:hidden">
        <ProblemNote problem={problemOf(set.error ?? arm.error)} />
      </div>
    </div>
  )
}

/** The start a meter recorded last, kept on the call like one from a file. */
function TakeRecording({ call, meter }: { call: Call; meter: Schemas['MeterOut'] }) {
  const cache = useQueryClient()
  const take = useMutation({
    mutationFn: () =>
      answer(
        client.POST('/api/meters/{key}/recording', {
          params: { path: { key: meter.key }, query: { call: call.id } },
        }),
      ),
    onSuccess: () => {
      cache.invalidateQueries({ queryKey: ['captures', call.id] })
      cache.invalidateQueries({ queryKey: ['call', call.id] })
    },
  })
  return (
    <div className="flex flex-wrap items-center gap-3 pt-2">
      <Button
        busy={take.isPending}
        onClick={() => take.mutate()}
      >{t`Keep the last start's recording`}</Button>
      {take.isSuccess && <span role="status">{t`✓ Kept under Waveforms.`}</span>}
      <div className="basis-full empty:hidden">
        <ProblemNote problem={problemOf(take.error)} />
      </div>
    </div>
  )
}

const SWITCHES: Record<string, [string, string]> = {
  thermostat: [t`Thermostat calls`, t`Thermostat off`],
  disconnect: [t`Disconnect in`, t`Disconnect pulled`],
  breaker: [t`Breaker on`, t`Breaker off or tripped`],
}

/** Switches of a unit that is not there; a real one is switched at the unit. */
function Switches({ meter, standing }: { meter: Schemas['MeterOut']; standing: Record<string, boolean> }) {
  const move = useMutation({
    scope: hand(meter.key),
    mutationFn: (next: { what: string; on: boolean }) =>
      answer(
        client
          .POST('/api/meters/{key}/switch', { params: { path: { key: meter.key } }, body: next })
          .then(whole),
      ),
  })
  if (Object.keys(standing).length === 0) return null
  return (
    <fieldset className="flex flex-wrap items-center gap-2 pt-2">
      <legend className="text-sm font-bold text-soft">{t`The simulated unit`}</legend>
      {Object.entries(standing).map(([what, on]) => (
        <Button
          key={what}
          className="px-3 text-sm aria-pressed:bg-ink aria-pressed:text-plane"
          aria-pressed={on}
          busy={move.isPending && move.variables.what === what}
          onClick={() => move.mutate({ what, on: !on })}
        >
          {SWITCHES[what]?.[on ? 0 : 1] ?? `${what} ${on ? t`on` : t`off`}`}
        </Button>
      ))}
      <ProblemNote problem={problemOf(move.error)} />
    </fieldset>
  )
}

/** One hand on one meter: what was asked of it first is done first, however slow the line. */
function hand(key: string) {
  return { id: `meter ${key}` }
}

/** An answer of nothing is an answer. */
function whole<T extends { data?: unknown; response: Response }>(told: T) {
  return told.response.ok ? { ...told, data: told.data ?? {} } : told
}
