import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import {
  answer,
  at,
  type Call,
  client,
  type NewReading,
  problemOf,
  Refusal,
  type Schemas,
  send,
} from '../../api/client'
import { useAddReading, useStandards } from '../../api/queries'
import { Button } from '../../parts/button'
import { GateNote } from '../../parts/gate'
import { useNear } from '../../parts/near'
import { ProblemNote } from '../../parts/problem'
import { WhileOpen } from '../../parts/read-only'
import { VerdictMark, Why } from '../../parts/verdict'
import { clock, figure } from '../../quantities/format'
import { recordSound, toWav } from './microphone'

type Heard = Schemas['SoundOut']

async function sendSound(callId: number, wav: Blob): Promise<void> {
  const response = await send(
    new Request(at(`/api/calls/${callId}/sounds`), {
      method: 'POST',
      body: wav,
      headers: { 'Content-Type': 'audio/wav', 'Idempotency-Key': crypto.randomUUID() },
    }),
  )
  if (!response.ok) throw new Refusal(await response.json())
}

/** Start time by two taps, by the microphone, or from a sound file; each with its uncertainty. */
export function StartByEar({ call }: { call: Call }) {
  const cache = useQueryClient()
  const [box, near] = useNear<HTMLElement>()
  const standards = useStandards(near)
  const slack = standards.data?.find((s) => s.standard.name === 'tap_seconds')?.standard.value ?? null
  const add = useAddReading(call.id)
  const [saved, setSaved] = useState('')
  const [going, setGoing] = useState<{ stop: () => Promise<Blob>; since: number } | null>(null)
  const sounds = useQuery({
    queryKey: ['sounds', call.id],
    enabled: near,
    queryFn: () =>
      answer(client.GET('/api/calls/{call_id}/sounds', { params: { path: { call_id: call.id } } })),
  })
  const hear = useMutation({
    mutationFn: async (sound: Blob) => {
      begin.reset()
      return sendSound(call.id, await toWav(sound))
    },
    onSuccess: () => cache.invalidateQueries({ queryKey: ['sounds', call.id] }),
  })
  const begin = useMutation({
    mutationFn: async () => setGoing({ stop: await recordSound(), since: Date.now() }),
  })
  const end = async () => {
    const stop = going?.stop
    setGoing(null)
    if (stop) hear.mutate(await stop())
  }
  const keep = (seconds: number, plusMinus: number, timedBy: 'taps' | 'sound') =>
    add.mutate(
      {
        quantity: 'start_time_s',
        value: Number(seconds.toFixed(2)),
        plus_minus: Number(plusMinus.toFixed(2)),
        timed_by: timedBy,
      } as NewReading,
      {
        onSuccess: () => {
          setSaved(t`Saved: ${seconds.toFixed(2)} ± ${plusMinus.toFixed(2)} s.`)
        },
      },
    )
  const list = sounds.data ?? []
  const trouble = begin.error ?? hear.error
  return (
    <section ref={box} aria-label={t`Start by ear`} className="grid gap-3">
      <h3 className="border-b-2 border-ink font-bold">{t`Start by ear`}</h3>
      <p className="text-soft">{t`First hum to steady hum. Works even if you missed the inrush shot.`}</p>
      <WhileOpen>
        <GateNote gate={call.allowed.take_live} />
        <div className="grid gap-3 sm:grid-cols-2">
          <Taps slack={slack} onTime={(seconds, plusMinus) => keep(seconds, plusMinus, 'taps')} />
          <div className="grid content-start gap-2 border border-faint p-3">
            {going ? (
              <Button kind="primary" className="hatched" onClick={end}>
                <span className="bg-field px-1 text-ink">
                  <Elapsed since={going.since} /> {t`Stop: it has run steady for three seconds`}
                </span>
              </Button>
            ) : (
              <Button
                kind="primary"
                busy={begin.isPending || hear.isPending}
                onClick={() => {
                  setSaved('')
                  begin.mutate()
                }}
              >{t`Record with the microphone`}</Button>
            )}
            <label className="block text-sm">
              <span className="block text-soft">{t`Or a recording made before, WAV or the phone's own kind.`}</span>
              <input
                type="file"
                accept="audio/*,.wav"
                aria-label={t`Sound file`}
                className="min-h-11 w-full pt-1 file:mr-3 file:min-h-11 file:border-2 file:border-line file:bg-field file:px-4 file:font-bold"
                onChange={(e) => {
                  const file = e.target.files?.[0]
                  if (file) hear.mutate(file)
                  e.target.value = ''
                }}
              />
            </label>
          </div>
        </div>
      </WhileOpen>
      <ProblemNote
        problem={
          trouble instanceof Refusal
            ? trouble.problem
            : trouble
              ? {
                  title: t`Not heard`,
                  detail: trouble.message,
                  code: 'refused',
                  errors: [],
                  next_step: null,
                  status: 0,
                }
              : problemOf(add.error)
        }
      />
      <p role="status" className="font-bold text-pass empty:hidden">
        {saved && `✓ ${saved}`}
      </p>
      {[...list].reverse().map((s) => (
        <HeardStart key={s.id} heard={s} onKeep={(a, b) => keep(a, b, 'sound')} />
      ))}
    </section>
  )
}

function Elapsed({ since }: { since: number }) {
  const [now, setNow] = useState(since)
  useEffect(() => {
    const tick = setInterval(() => setNow(Date.now()), 200)
    return () => clearInterval(tick)
  }, [])
  return <span className="figure">{((now - since) / 1000).toFixed(0)} s ·</span>
}

/** Two taps: at the first hum, and when it runs steady. */
function Taps({ slack, onTime }: { slack: number | null; onTime: (seconds: number, slack: number) => void }) {
  const [time, setTime] = useState<number | null>(null)
  const begun = useRef<number | null>(null)
  const [counting, setCounting] = useState(false)
  return (
    <div className="grid content-start gap-2 border border-faint p-3">
      <Button
        className={`min-h-20 text-lg ${counting ? 'hatched' : ''}`}
        onPointerDown={(e) => {
          if (begun.current === null) {
            begun.current = e.timeStamp
            setCounting(true)
            setTime(null)
          } else {
            setTime((e.timeStamp - begun.current) / 1000)
            begun.current = null
            setCounting(false)
          }
        }}
      >
        <span className={counting ? 'bg-field px-1' : ''}>
          {counting ? t`Tap when steady` : t`Tap at the first hum`}
        </span>
      </Button>
      {time !== null && slack !== null && (
        <Button
          kind="primary"
          onClick={() => onTime(time, slack)}
        >{t`Keep ${time.toFixed(2)} ± ${figure(slack)} s`}</Button>
      )}
      {slack !== null && <p className="text-sm text-soft">{t`Two taps are good to ± ${figure(slack)} s.`}</p>}
    </div>
  )
}

function HeardStart({
  heard,
  onKeep,
}: {
  heard: Heard
  onKeep: (seconds: number, plusMinus: number) => void
}) {
  const { report } = heard
  const width = 400
  const height = 120
  const top = Math.max(20, ...report.level_db)
  const x = (s: number) => (s / report.duration_s) * width
  const y = (db: number) => height - 18 - (db / top) * (height - 40)
  const path = report.level_s.map((s, i) => `${i ? 'L' : 'M'}${x(s)} ${y(report.level_db[i] ?? 0)}`).join('')
  const marks = [
    [report.onset_s, t`first hum`],
    [report.steady_s, 'steady'],
  ] as const
  return (
    <div className="border-t border-faint pt-2">
      <svg
        viewBox={`0 0 ${width} ${height}`}
        className="w-full border border-faint bg-field"
        role="img"
        aria-label={t`Level of the hum over ${figure(report.duration_s, 2)} s`}
      >
        {typeof report.onset_s === 'number' && typeof report.steady_s === 'number' && (
          <rect
            x={x(report.onset_s)}
            width={x(report.steady_s) - x(report.onset_s)}
            y="0"
            height={height - 18}
            fill="var(--faint)"
          />
        )}
        <path d={path} fill="none" stroke="var(--orange)" strokeWidth="3" />
        {marks.map(
          ([at, word], i) =>
            typeof at === 'number' && (
              <g key={word}>
                <path d={`M${x(at)} 0V${height - 18}`} stroke="var(--ink)" strokeWidth="2" />
                <text
                  x={x(at) + (i ? 5 : -5)}
                  y="14"
                  fontSize="13"
                  fontWeight="700"
                  fill="var(--ink)"
                  textAnchor={i ? 'start' : 'end'}
                >
                  {word}
                </text>
              </g>
            ),
        )}
        <text x="2" y={height - 4} fontSize="12" fill="var(--soft)">
          0 s
        </text>
        <text
          x={width - 2}
          y={height - 4}
          fontSize="12"
          fill="var(--soft)"
          textAnchor="end"
        >{t`${figure(report.duration_s, 2)} s · hum, dB`}</text>
      </svg>
      <Why
        findings={report.findings}
        summary={
          <span className="flex flex-wrap items-center gap-x-3">
            <span className="figure text-sm text-soft">{clock(heard.recorded_at)}</span>
            <b className="figure text-lg">
              {report.seconds === null
                ? t`not heard`
                : `${report.seconds?.toFixed(2)} ± ${(report.plus_minus_s ?? 0).toFixed(2)} s`}
            </b>
            <VerdictMark verdict={report.verdict} />
          </span>
        }
      />
      <div className="flex flex-wrap gap-2 pt-1">
        {report.seconds !== null && report.seconds !== undefined && (
          <Button
            kind="primary"
            onClick={() => onKeep(report.seconds ?? 0, report.plus_minus_s ?? 0)}
          >{t`Keep as the start time`}</Button>
        )}
        <a
          className="inline-flex min-h-11 items-center px-2 underline"
          href={at(`/api/sounds/${heard.id}/file`)}
        >
          WAV
        </a>
      </div>
    </div>
  )
}
