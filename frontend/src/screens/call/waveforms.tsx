import { t } from '@lingui/core/macro'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { lazy, Suspense, useCallback, useMemo, useState } from 'react'
import { Link } from 'react-router'
import { answer, at, type Call, client, problemOf, Refusal, type Schemas } from '../../api/client'
import { useReference } from '../../api/queries'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { early } from '../../parts/early'
import { FigureField, TextField } from '../../parts/field'
import { Form } from '../../parts/figures'
import { useNear } from '../../parts/near'
import { ProblemNote } from '../../parts/problem'
import { parseFigure } from '../../quantities/figure'
import { figure } from '../../quantities/format'
import { type Capture, largestStart, useCaptures, useTrace } from './captures'

const WaveChart = lazy(early(() => import('../../charts/wave-chart').then((m) => ({ default: m.WaveChart }))))

type Upload = Schemas['UploadOut']

async function send(file: File, kind: 'csv' | 'cfg' | 'dat'): Promise<Upload> {
  let response: Response
  try {
    response = await fetch(at(`/api/uploads?kind=${kind}`), {
      method: 'POST',
      body: file,
    })
  } catch {
    throw new Error(t`The file did not arrive. Check the connection and send it again.`)
  }
  const body = await response.json()
  if (!response.ok) throw new Refusal(body)
  return body as Upload
}

export function Waveforms({ call }: { call: Call }) {
  const [box, near] = useNear<HTMLElement>()
  const captures = useCaptures(call.id, near)
  const [chosen, setChosen] = useState<number | null>(null)
  const list = captures.data ?? []
  const shown = list.find((c) => c.id === chosen) ?? list.at(-1)
  return (
    <section ref={box} aria-label={t`Waveforms`}>
      <div className="flex items-end justify-between gap-3 border-b-2 border-ink">
        <h3 className="font-bold">
          {t`Waveforms`} <span className="figure text-soft">{list.length}</span>
        </h3>
        {call.plate && (
          <Link
            to={`/lab?call=${call.id}`}
            className="inline-flex min-h-11 items-center underline"
          >{t`Compute this start`}</Link>
        )}
      </div>
      {call.status === 'open' && <TakeIn call={call} onSaved={setChosen} />}
      <ProblemNote problem={problemOf(captures.error)} onRetry={() => captures.refetch()} />
      {list.length > 1 && (
        <div className="flex flex-wrap gap-1 pt-2">
          {list.map((c) => (
            <Button
              key={c.id}
              aria-pressed={c.id === shown?.id}
              className={c.id === shown?.id ? 'bg-ink! text-ground!' : ''}
              onClick={() => setChosen(c.id)}
            >
              {c.name}
            </Button>
          ))}
        </div>
      )}
      {shown && <CaptureView key={shown.id} capture={shown} others={list.filter((c) => c.id !== shown.id)} />}
    </section>
  )
}

type Pick = {
  time: number
  amps: number
  volts: number
  clamp: string
  name: string
  conductor: string
  from: string
  to: string
}
const FRESH: Pick = { time: 0, amps: 1, volts: -1, clamp: '', name: '', conductor: '', from: '', to: '' }

function TakeIn({ call, onSaved }: { call: Call; onSaved: (id: number) => void }) {
  const cache = useQueryClient()
  const reference = useReference()
  const [columns, setColumns] = useState<{ index: number; label: string }[]>([])
  const [ids, setIds] = useState<{ one: string; dat: string | null } | null>(null)
  const [pick, setPick] = useState<Pick>(FRESH)
  const [lines, setLines] = useState<string[]>([])
  const look = useMutation({
    mutationFn: async (files: File[]) => {
      const find = (end: string) => files.find((f) => f.name.toLowerCase().endsWith(end))
      const [cfg, dat] = [find('.cfg'), find('.dat')]
      const name = files[0]?.name.replace(/\.[^.]*$/, '') ?? 'recording'
      if (cfg && dat) {
        const [one, two] = [await send(cfg, 'cfg'), await send(dat, 'dat')]
        const named = await answer(
          client.POST('/api/uploads/comtrade', {
            body: { cfg_upload_id: one.upload_id, dat_upload_id: two.upload_id },
          }),
        )
        setColumns(named.map((c) => ({ index: c.index, label: `${c.name} ${c.unit}` })))
        setIds({ one: one.upload_id, dat: two.upload_id })
        setLines([])
        const unit = (u: string) => named.find((c) => c.unit.toLowerCase().endsWith(u))?.index ?? -1
        setPick({ ...FRESH, amps: Math.max(0, unit('a')), volts: unit('v'), name })
        return
      }
      if (cfg || dat)
        throw new Error(t`A COMTRADE record is two files: choose the .cfg and the .dat together.`)
      const file = files[0]
      if (!file) return
      const sent = await send(file, 'csv')
      const found = sent.preview?.columns ?? []
      const guess = (what: string) => found.find((c) => c.guess === what)?.index ?? -1
      setColumns(found.map((c) => ({ index: c.index, label: `${c.name}${c.unit ? ` [${c.unit}]` : ''}` })))
      setIds({ one: sent.upload_id, dat: null })
      setLines(sent.preview?.lines ?? [])
      setPick({
        ...FRESH,
        time: Math.max(0, guess('time')),
        amps: guess('amps') >= 0 ? guess('amps') : 1,
        volts: guess('volts'),
        name,
      })
    },
  })
  const save = useMutation({
    mutationFn: () =>
      answer(
        client.POST('/api/calls/{call_id}/captures', {
          params: { path: { call_id: call.id } },
          body: {
            name: pick.name || 'recording',
            upload_id: ids?.one ?? '',
            dat_upload_id: ids?.dat ?? null,
            time_index: pick.time,
            line_a_index: pick.amps,
            line_v_index: pick.volts < 0 ? null : pick.volts,
            line_a_factor: parseFigure(pick.clamp),
            conductor: pick.conductor || null,
            from_s: parseFigure(pick.from, 's'),
            to_s: parseFigure(pick.to, 's'),
          } as Schemas['NewCapture'],
        }),
      ),
    onSuccess: (capture) => {
      cache.invalidateQueries({ queryKey: ['captures', call.id] })
      setIds(null)
      onSaved(capture.id)
    },
  })
  const choose = (label: string, value: number, put: (n: number) => void, none = false) => (
    <label className="block">
      <span className="text-sm font-bold text-soft">{label}</span>
      <select
        value={value}
        onChange={(e) => put(Number(e.target.value))}
        className="min-h-12 w-full border-2 border-line bg-field px-2"
      >
        {none && <option value={-1}>{t`none`}</option>}
        {columns.map((c) => (
          <option key={c.index} value={c.index}>
            {c.label}
          </option>
        ))}
      </select>
    </label>
  )
  return (
    <div className="grid gap-3 py-2">
      <label className="block">
        <span className="block text-soft">{t`A logger's CSV, or a power recorder's COMTRADE record (.cfg and .dat together).`}</span>
        <input
          type="file"
          multiple
          accept=".csv,.txt,.tsv,.log,.cfg,.dat"
          aria-label={t`Waveform file`}
          className="min-h-11 w-full pt-1 file:mr-3 file:min-h-11 file:border-2 file:border-line file:bg-field file:px-4 file:font-bold"
          onChange={(e) => {
            const files = [...(e.target.files ?? [])]
            setIds(null)
            save.reset()
            if (files.length) look.mutate(files)
            e.target.value = ''
          }}
        />
      </label>
      {look.isPending && <p role="status">{t`Reading…`}</p>}
      <ProblemNote
        problem={
          look.error instanceof Refusal
            ? look.error.problem
            : look.error
              ? {
                  title: t`Not imported`,
                  detail: look.error.message,
                  code: 'refused',
                  errors: [],
                  next_step: null,
                  status: 0,
                }
              : null
        }
      />
      {ids && (
        <Form
          label={t`Read the recording`}
          className="grid gap-3 border-2 border-line bg-field p-3"
          onSubmit={() => save.mutate()}
        >
          <h4 className="font-bold">{t`Match the columns`}</h4>
          {lines.length > 0 && (
            <pre className="figure max-h-36 overflow-auto border border-faint bg-plane p-2 text-xs">
              {lines.join('\n')}
            </pre>
          )}
          <div className="grid grid-cols-2 gap-3 sm:grid-cols-4">
            {ids.dat === null && choose(t`Time`, pick.time, (time) => setPick({ ...pick, time }))}
            {choose(t`Current`, pick.amps, (amps) => setPick({ ...pick, amps }))}
            {choose(t`Voltage`, pick.volts, (volts) => setPick({ ...pick, volts }), true)}
            <FigureField
              label={t`Amps per unit in the file (clamp ratio)`}
              unit="×"
              value={pick.clamp}
              onChange={(clamp) => setPick({ ...pick, clamp })}
            />
          </div>
          <Choice
            label={t`Clamp on`}
            value={pick.conductor}
            onChange={(conductor) => setPick({ ...pick, conductor })}
            options={reference.data?.conductors ?? []}
          />
          <div className="grid grid-cols-2 gap-3 sm:grid-cols-4">
            <FigureField
              label={t`Keep from`}
              unit="s"
              value={pick.from}
              onChange={(from) => setPick({ ...pick, from })}
            />
            <FigureField label={t`to`} unit="s" value={pick.to} onChange={(to) => setPick({ ...pick, to })} />
          </div>
          <TextField label={t`Name`} value={pick.name} onChange={(name) => setPick({ ...pick, name })} />
          <ProblemNote problem={problemOf(save.error)} />
          <div>
            <Button kind="primary" type="submit" busy={save.isPending}>{t`Read it`}</Button>
          </div>
        </Form>
      )}
    </div>
  )
}

const said = (value: number | null | undefined, unit: string, digits = 4) =>
  value === null || value === undefined ? '–' : `${figure(value, digits)} ${unit}`

function CaptureView({ capture, others }: { capture: Capture; others: Capture[] }) {
  const [range, setRange] = useState<[number, number] | null>(null)
  const [overId, setOverId] = useState<number | null>(null)
  const trace = useTrace(capture.id, range)
  const { report } = capture
  const largest = useMemo(() => largestStart(capture), [capture])
  const other = others.find((c) => c.id === overId)
  const theirs = other && largestStart(other)
  const shift = (largest?.onset_s ?? 0) - (theirs?.onset_s ?? 0)
  const overRange = useMemo<[number, number] | null>(
    () => (range ? [range[0] - shift, range[1] - shift] : null),
    [range, shift],
  )
  const over = useTrace(overId, overRange)
  const bands = useMemo(() => {
    const from = report.meter.inrush_from_s
    return from === null || from === undefined ? [] : [{ from, to: from + 0.1, word: t`inrush mode, 100 ms` }]
  }, [report.meter.inrush_from_s])
  const [hand, setHand] = useState(false)
  const look = useCallback((from: number, to: number) => setRange([from, to]), [])
  const move = (share: number) =>
    setRange((old) => {
      if (!old) return old
      const by = Math.max(-old[0], share * (old[1] - old[0]))
      return [old[0] + by, old[1] + by]
    })
  const early =
    report.meter.inrush_from_s !== null &&
    report.meter.inrush_from_s !== undefined &&
    largest !== undefined &&
    largest.onset_s - report.meter.inrush_from_s > 0.1
  return (
    <div className="grid gap-3 pt-3">
      <p className="text-sm text-soft">
        {t`${capture.name} · ${figure(capture.sample_hz)} samples/s · ${figure(report.duration_s)} s · ${capture.person}${capture.conductor ? t` · clamp on ${capture.conductor.replace('_', ' ')}` : ''}`}
        {capture.notes.map((n) => ` · ${n}`)}
      </p>
      {trace.data && (
        <Suspense fallback={<p>{t`Drawing…`}</p>}>
          <WaveChart
            trace={trace.data}
            over={overId === null ? undefined : over.data}
            shift={shift}
            bands={bands}
            view={range ?? undefined}
            hand={hand && range !== null}
            onRange={look}
            label={t`Current over time of ${capture.name}, ${report.starts.length} starts`}
          />
        </Suspense>
      )}
      <div className="flex flex-wrap gap-2">
        {report.starts.map((s, i) => (
          <Button
            key={s.onset_s}
            onClick={() =>
              setRange([Math.max(0, s.onset_s - 0.1), s.onset_s + Math.max(0.4, 1.5 * (s.start_time_s ?? 1))])
            }
          >{t`Start ${i + 1}`}</Button>
        ))}
        <Button onClick={() => setRange(null)}>{t`Whole`}</Button>
        {range && (
          <>
            <Button aria-label={t`Earlier`} onClick={() => move(-0.5)}>
              ◂
            </Button>
            <Button aria-label={t`Later`} onClick={() => move(0.5)}>
              ▸
            </Button>
            <Choice
              label={t`A drag`}
              hideLabel
              value={hand ? 'moves' : 'closer'}
              onChange={(v) => setHand(v === 'moves')}
              options={[
                { value: 'closer', label: t`Drag: closer` },
                { value: 'moves', label: t`Drag: move` },
              ]}
            />
          </>
        )}
        {others.length > 0 && (
          <label className="flex items-center gap-2">
            <span className="text-sm">{t`Lay over`}</span>
            <select
              value={overId ?? ''}
              onChange={(e) => setOverId(e.target.value ? Number(e.target.value) : null)}
              className="min-h-11 border-2 border-line bg-field px-2"
            >
              <option value="">{t`nothing`}</option>
              {others.map((c) => (
                <option key={c.id} value={c.id}>
                  {c.name}
                </option>
              ))}
            </select>
          </label>
        )}
        <a
          className="inline-flex min-h-11 items-center px-2 underline"
          href={at(`/api/captures/${capture.id}/file?form=csv`)}
        >
          CSV
        </a>
        <a
          className="inline-flex min-h-11 items-center px-2 underline"
          href={at(`/api/captures/${capture.id}/file?form=comtrade`)}
        >
          COMTRADE
        </a>
      </div>
      <h4 className="font-bold">{t`What each meter mode would have shown`}</h4>
      <dl className="grid grid-cols-2 border-2 border-line sm:grid-cols-4">
        {[
          [t`Inrush, 100 ms`, said(report.meter.inrush, 'A', 3)],
          [t`Max hold`, said(report.meter.max_hold, 'A', 3)],
          [t`Peak`, said(report.meter.peak, 'A', 3)],
          [t`Energy monitor`, said(report.meter.energy_monitor_w, 'W', 3)],
        ].map(([word, value]) => (
          <div key={word} className="border border-faint bg-field p-2">
            <dt className="text-sm text-soft">{word}</dt>
            <dd className="figure text-lg">{value}</dd>
          </div>
        ))}
      </dl>
      {early && (
        <p className="border-l-4 border-watch bg-field p-2 font-bold">{t`△ Something smaller started first and used up the inrush shot: that mode never saw the compressor.`}</p>
      )}
      <div className="overflow-x-auto">
        <table className="w-full text-left text-sm">
          <caption className="text-left font-bold">{t`Starts found`}</caption>
          <thead>
            <tr className="border-b-2 border-line">
              {['at', 'took', t`100 ms`, t`worst cycle`, 'peak', 'settled', 'I²t', 'dip', t`closed at`].map(
                (h) => (
                  <th key={h} scope="col" className="py-1 pr-3">
                    {h}
                  </th>
                ),
              )}
            </tr>
          </thead>
          <tbody className="figure">
            {report.starts.map((s) => (
              <tr key={s.onset_s} className="border-b border-faint">
                <td className="py-1 pr-3 whitespace-nowrap">{said(s.onset_s, 's')}</td>
                <td className="pr-3 whitespace-nowrap">
                  {s.start_time_s === null ? 'never' : said(s.start_time_s, 's', 3)}
                </td>
                <td className="pr-3 whitespace-nowrap">{said(s.inrush_100ms_a, 'A', 3)}</td>
                <td className="pr-3 whitespace-nowrap">{said(s.max_cycle_rms_a, 'A', 3)}</td>
                <td className="pr-3 whitespace-nowrap">{said(s.peak_a, 'A', 3)}</td>
                <td className="pr-3 whitespace-nowrap">{said(s.settled_a, 'A', 3)}</td>
                <td className="pr-3 whitespace-nowrap">{said(s.i2t_a2s, 'A²s', 3)}</td>
                <td className="pr-3 whitespace-nowrap">{said(s.sag_pct, '%', 3)}</td>
                <td className="whitespace-nowrap">{said(s.closing_angle_deg, '°', 3)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {report.starts.length === 0 && <p className="py-2 text-soft">{t`No start is on this recording.`}</p>}
      </div>
    </div>
  )
}
