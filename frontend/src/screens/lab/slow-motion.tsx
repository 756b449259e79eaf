import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { answer, client, problemOf, type Schemas } from '../../api/client'
import { Button } from '../../parts/button'
import { ProblemNote } from '../../parts/problem'
import { Slider } from '../../parts/slider'
import { figure } from '../../quantities/format'

type Start = Schemas['Explained']
/** So many times slower than it is. */
const SLOWER = 25

/** Starts frame by frame, side by side on one clock: rotor, currents as arrows, relay and capacitor, and what happens. */
export function SlowMotion({ body }: { body: Schemas['LabIn'] }) {
  const two = { starts: body.starts.slice(0, 2) }
  const told = useQuery({
    queryKey: ['explain', two],
    enabled: two.starts.length > 0,
    queryFn: ({ signal }) => answer(client.POST('/api/calc/explain', { body: two, signal })),
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  })
  const [at, setAt] = useState(0)
  const [playing, setPlaying] = useState(false)
  const starts = told.data?.starts ?? []
  const end = Math.max(0, ...starts.map((s) => (s.speed_pct.length - 1) * s.frame_s))
  const moments = starts
    .flatMap((s) => s.moments.map((m) => ({ ...m, label: s.label })))
    .sort((a, b) => a.at_s - b.at_s)
  const last = useRef(0)
  useEffect(() => {
    if (!playing) return
    let frame = requestAnimationFrame(function step(now) {
      const past = last.current ? (now - last.current) / 1000 / SLOWER : 0
      last.current = now
      setAt((old) => {
        const next = Math.min(end, old + past)
        if (next >= end) setPlaying(false)
        return next
      })
      frame = requestAnimationFrame(step)
    })
    return () => {
      cancelAnimationFrame(frame)
      last.current = 0
    }
  }, [playing, end])
  return (
    <section aria-label="Slow motion" className="pt-4">
      <h2 className="border-b-2 border-ink font-bold">Slow motion</h2>
      <p className="py-1 text-sm text-soft">
        The first two starts that are on, on one clock, {SLOWER} times slower. Arrows: the two winding
        currents against the line's volts, which point up; four times the amps is twice the length.
      </p>
      <ProblemNote problem={problemOf(told.error)} />
      {starts.length > 0 && (
        <>
          <div className="flex flex-wrap items-center gap-3">
            <Button
              kind="primary"
              onClick={() => {
                if (at >= end) setAt(0)
                setPlaying(!playing)
              }}
            >
              {playing ? 'Hold' : at >= end && end > 0 ? 'Again' : 'Run'}
            </Button>
            <div className="min-w-52 flex-1">
              <Slider
                label="Time since power on"
                value={1000 * at}
                onChange={(ms) => {
                  setPlaying(false)
                  setAt(ms / 1000)
                }}
                low={0}
                high={1000 * end}
                step={4}
                unit="ms"
                digits={4}
              />
            </div>
          </div>
          <div className="grid gap-3 sm:grid-cols-2">
            {starts.map((s) => (
              <Frame key={s.label} start={s} at={at} />
            ))}
          </div>
          <ol aria-label="What happens" className="pt-3">
            {moments.map((m) => (
              <li key={`${m.label} ${m.at_s} ${m.text}`} className="border-b border-faint">
                <button
                  type="button"
                  className={`min-h-11 w-full py-1 text-left ${m.at_s <= at + 1e-6 ? '' : 'text-soft'}`}
                  onClick={() => {
                    setPlaying(false)
                    setAt(m.at_s)
                  }}
                >
                  <span className="figure">{figure(1000 * m.at_s, 4)} ms</span>{' '}
                  {starts.length > 1 && <b>{m.label}: </b>}
                  {m.text}
                </button>
              </li>
            ))}
          </ol>
        </>
      )}
    </section>
  )
}

/** Amps as a length: by the root, so that four amps beside a hundred are seen too. */
const arrow = (amps: number, most: number) => 60 * Math.sqrt(Math.max(0, amps) / most)

const polar = (length: number, degrees: number) => {
  const turn = ((degrees - 90) * Math.PI) / 180
  return [length * Math.cos(turn), length * Math.sin(turn)] as const
}

function Frame({ start: s, at }: { start: Start; at: number }) {
  const i = Math.min(s.speed_pct.length - 1, Math.max(0, Math.round(at / s.frame_s)))
  const of = (values: number[]) => values[i] ?? 0
  const inside = s.capacitor_in[i] ?? false
  const ever = s.capacitor_in.some(Boolean)
  return (
    <figure aria-label={s.label} className="border-2 border-line bg-field p-2">
      <figcaption className="font-bold">{s.label}</figcaption>
      <svg viewBox="0 0 330 150" className="w-full" role="img" aria-label={saying(s, i)}>
        <title>{saying(s, i)}</title>
        <g transform="translate(75 78)">
          <circle r="62" fill="none" stroke="var(--line)" strokeWidth="3" />
          <g transform={`rotate(${of(s.rotor_deg) % 360})`}>
            <circle r="48" fill="var(--plane)" stroke="var(--ink)" strokeWidth="3" />
            {[0, 45, 90, 135, 180, 225, 270, 315].map((deg) => (
              <line
                key={deg}
                x1="0"
                y1="-30"
                x2="0"
                y2="-46"
                transform={`rotate(${deg})`}
                stroke={deg === 0 ? 'var(--orange)' : 'var(--soft)'}
                strokeWidth={deg === 0 ? 7 : 4}
              />
            ))}
          </g>
          <text y="6" textAnchor="middle" className="figure" fill="var(--ink)" fontSize="17">
            {Math.round(of(s.speed_pct))} %
          </text>
        </g>
        <g transform="translate(225 82)">
          <line x1="0" y1="0" x2="0" y2="-66" stroke="var(--faint)" strokeWidth="2" />
          <text x="4" y="-60" fill="var(--soft)" fontSize="12">
            V
          </text>
          <Arrow length={arrow(of(s.run_a), s.most_a)} degrees={of(s.run_deg)} colour="--ink" word="run" />
          <Arrow
            length={arrow(of(s.start_a), s.most_a)}
            degrees={of(s.start_deg)}
            colour="--orange"
            word="start"
            dashed
          />
        </g>
        {ever && (
          <g transform="translate(286 30)" stroke="var(--ink)" strokeWidth="2.5" fill="none">
            <path d={inside ? 'M0 0h34' : 'M0 0h8l16 -12m2 12h8'} />
            <path d="M14 22v18m6 -18v18M0 31h14m6 0h14" stroke={inside ? 'var(--orange)' : 'var(--soft)'} />
            <text x="17" y="58" textAnchor="middle" stroke="none" fill="var(--soft)" fontSize="12">
              {inside ? 'in' : 'out'}
            </text>
          </g>
        )}
      </svg>
      <dl className="grid grid-cols-3 gap-x-2 text-sm">
        {(
          [
            ['Line', s.line_rms_a, 'A'],
            ['Volts', s.line_rms_v, 'V'],
            ['Torque', s.torque_nm, 'N·m'],
            ['Run', s.run_a, 'A'],
            ['Start', s.start_a, 'A'],
            ['S to C', s.start_winding_v, 'V'],
          ] as const
        ).map(([word, values, unit]) => (
          <div key={word}>
            <dt className="text-soft">{word}</dt>
            <dd className="figure">
              {figure(of(values), 3)} {unit}
            </dd>
          </div>
        ))}
      </dl>
    </figure>
  )
}

function saying(s: Start, i: number): string {
  return `${Math.round(1000 * i * s.frame_s)} ms: ${Math.round(s.speed_pct[i] ?? 0)} % of speed, ${figure(s.line_rms_a[i] ?? 0, 3)} A`
}

/** A current as an arrow: its length its amps, its turn how far ahead of the volts (left) or behind (right). */
function Arrow({
  length,
  degrees,
  colour,
  word,
  dashed = false,
}: {
  length: number
  degrees: number
  colour: string
  word: string
  dashed?: boolean
}) {
  const [x, y] = polar(length, -degrees)
  const [tx, ty] = polar(length + 14, -degrees)
  return (
    <g stroke={`var(${colour})`} fill={`var(${colour})`}>
      <line x1="0" y1="0" x2={x} y2={y} strokeWidth="4" {...(dashed ? { strokeDasharray: '7 3' } : {})} />
      <circle cx={x} cy={y} r="4.5" stroke="none" />
      {length > 8 && (
        <text x={tx} y={ty + 4} textAnchor="middle" stroke="none" fontSize="12">
          {word}
        </text>
      )}
    </g>
  )
}
