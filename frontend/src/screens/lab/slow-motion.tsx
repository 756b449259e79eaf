import { t } from '@lingui/core/macro'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { answer, client, problemOf, type Schemas } from '../../api/client'
import { SlowFrame } from '../../charts/slow-frame'
import { Button } from '../../parts/button'
import { ProblemNote } from '../../parts/problem'
import { Slider } from '../../parts/slider'
import { figure } from '../../quantities/format'

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
    <section aria-label={t`Slow motion`} className="pt-4">
      <h2 className="border-b-2 border-ink font-bold">{t`Slow motion`}</h2>
      <p className="py-1 text-sm text-soft">{t`The first two starts side by side, ${SLOWER} × slower. Arrows are the run and start winding currents.`}</p>
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
              {playing ? t`Hold` : at >= end && end > 0 ? t`Again` : t`Run`}
            </Button>
            <div className="min-w-52 flex-1">
              <Slider
                label={t`Time since power on`}
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
              <SlowFrame key={s.label} start={s} at={at} />
            ))}
          </div>
          <ol aria-label={t`What happens`} className="pt-3">
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
                  <span className="figure">{t`${figure(1000 * m.at_s, 4)} ms`}</span>{' '}
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
