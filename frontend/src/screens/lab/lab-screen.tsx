import { t } from '@lingui/core/macro'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { lazy, Suspense, useEffect, useMemo, useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { answer, client, problemOf, type Schemas } from '../../api/client'
import { useUnits } from '../../api/queries'
import { PENS } from '../../charts/pens'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { useDraft } from '../../parts/draft'
import { early } from '../../parts/early'
import { Tick } from '../../parts/field'
import { Pick } from '../../parts/pick'
import { ProblemNote } from '../../parts/problem'
import { useTitle } from '../../parts/title'
import { AidList } from './aids'
import { Condition } from './condition'
import { Grid } from './grid'
import { EMPTY, type Entry, type LabState, labBody, SHOWN_S } from './lab-state'
import { LabTabs } from './lab-tabs'
import { Measured } from './measured'
import { PlateEntry } from './plate-entry'
import { Readings, Reasons } from './results'
import { Takes } from './takes'

const StartStrips = lazy(
  early(() => import('../../charts/start-strips').then((m) => ({ default: m.StartStrips }))),
)
const SlowMotion = lazy(early(() => import('./slow-motion').then((m) => ({ default: m.SlowMotion }))))

export function LabScreen() {
  useTitle(t`Start lab`)
  const [params, setParams] = useSearchParams()
  const wantedCall = Number(params.get('call')) || null
  const wantedUnit = Number(params.get('unit')) || null
  const [lab, change] = useDraft<LabState>('lab', EMPTY)
  const units = useUnits()

  const fromCall = useQuery({
    queryKey: ['start-of-call', wantedCall],
    enabled: wantedCall !== null && wantedCall !== lab.call,
    queryFn: () =>
      answer(
        client.GET('/api/calls/{call_id}/start', { params: { path: { call_id: wantedCall as number } } }),
      ),
    retry: false,
  })
  const call = useQuery({
    queryKey: ['call', wantedCall],
    enabled: wantedCall !== null,
    queryFn: () =>
      answer(client.GET('/api/calls/{call_id}', { params: { path: { call_id: wantedCall as number } } })),
  })
  useEffect(() => {
    if (fromCall.data?.start && wantedCall !== lab.call)
      change({
        call: wantedCall,
        unit: null,
        title: call.data ? `${call.data.site.name} · ${call.data.unit}` : t`Call ${wantedCall ?? ''}`,
        base: fromCall.data.start as Entry,
        taken: fromCall.data.taken,
        aids: [],
      })
  }, [fromCall.data, call.data, wantedCall, lab.call, change])
  useEffect(() => {
    if (wantedUnit === null || wantedUnit === lab.unit || !units.data) return
    const unit = units.data.find((u) => u.id === wantedUnit)
    if (unit?.plate)
      change({
        call: null,
        unit: wantedUnit,
        title: `${unit.site.name} · ${unit.name}`,
        base: { plate: unit.plate.plate },
        taken: [],
        aids: [],
      })
  }, [wantedUnit, units.data, lab.unit, change])

  const plate = lab.base?.plate
  const typical = useQuery({
    queryKey: ['start-aids', plate],
    enabled: Boolean(plate),
    queryFn: () =>
      answer(client.POST('/api/calc/start-aids', { body: { plate: plate as Schemas['StartPlate'] } })),
    placeholderData: keepPreviousData,
    retry: false,
  })
  useEffect(() => {
    if (typical.data && !typical.isPlaceholderData && lab.aids.length === 0)
      change({
        aids: typical.data.aids.map((a, i) => ({ label: a.label, aid: a.aid, why: a.why, on: i < 2 })),
      })
  }, [typical.data, typical.isPlaceholderData, lab.aids.length, change])

  const refused = fromCall.data?.refused ?? problemOf(fromCall.error) ?? problemOf(typical.error)
  return (
    <div className="mx-auto max-w-[92rem] p-3 sm:p-5">
      <LabTabs />
      <div className="flex flex-wrap items-end gap-3">
        <div className="min-w-0 flex-[1_1_16rem]">
          <h1 className="text-2xl font-bold">{t`Start lab`}</h1>
          <p className="text-soft">
            {lab.title || t`A start computed from the plate: why a kit helps, what the meter will say.`}
            {lab.call !== null && (
              <>
                {' · '}
                <Link className="underline" to={`/calls/${lab.call}/live_tests`}>{t`back to the call`}</Link>
              </>
            )}
          </p>
        </div>
        <Pick
          label={t`Unit`}
          value={String(wantedUnit ?? '')}
          onChange={(id) => setParams(id ? { unit: id } : {})}
          options={[
            { value: '', label: t`Choose a unit…` },
            ...(units.data ?? [])
              .filter((u) => u.plate)
              .map((u) => ({ value: String(u.id), label: `${u.site.name}: ${u.name}` })),
          ]}
        />
        {lab.base && (
          <Button
            onClick={() => {
              setParams({})
              change(EMPTY)
            }}
          >{t`Enter a nameplate`}</Button>
        )}
      </div>
      <div className="pt-2">
        <ProblemNote problem={refused} />
      </div>
      {!lab.base && (
        <PlateEntry onUse={(p) => change({ ...EMPTY, title: t`Plate as typed`, base: { plate: p } })} />
      )}
      {lab.base && !problemOf(typical.error) && typical.data && lab.aids.length > 0 && (
        <Bench
          lab={lab}
          change={change}
          nominalUf={typical.data.run_cap_uf}
          supply={typical.data.supply}
          sizes={typical.data.start_capacitors}
        />
      )}
    </div>
  )
}

type Change = (part: Partial<LabState>) => void

function Bench({
  lab,
  change,
  nominalUf,
  supply,
  sizes,
}: {
  lab: LabState
  change: Change
  nominalUf: number | null
  supply: Schemas['Source']
  sizes: Schemas['StartCapacitorRange'][]
}) {
  const base = lab.base as Entry
  const [waves, setWaves] = useState(false)
  const [slow, setSlow] = useState(false)
  const [span, setSpan] = useState('auto')
  const [laid, setLaid] = useState<Schemas['CaptureFit'] | null>(null)
  const body = useMemo(() => labBody(base, lab.aids), [base, lab.aids])
  const starts = useQuery({
    queryKey: ['start-lab', body],
    enabled: body.starts.length > 0,
    queryFn: ({ signal }) => answer(client.POST('/api/calc/start-lab', { body, signal })),
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    retry: false,
  })
  const results = starts.data?.results ?? []
  const strips = useMemo(
    () =>
      (starts.data?.results ?? []).flatMap((r) =>
        r.result.trace ? [{ label: r.label, trace: r.result.trace }] : [],
      ),
    [starts.data],
  )
  const longest = Math.max(
    0.2,
    ...results.map((r) => (r.result.time_to_speed_s === null ? 1.2 : r.result.time_to_speed_s * 1.5)),
  )
  const until = span === 'auto' ? Math.min(SHOWN_S, Math.ceil(longest * 10) / 10) : Number(span)
  const over = useMemo(() => (laid ? { label: laid.name, trace: laid.measured } : undefined), [laid])
  return (
    <div className="grid gap-x-5 gap-y-3 pt-3 lg:grid-cols-[21rem_1fr]">
      {starts.data && (
        <p
          className="sticky top-0 z-10 border-l-[7px] border-orange bg-plane px-3 py-2 font-bold sm:text-lg lg:static lg:col-span-2"
          aria-live="polite"
          data-testid="lab-verdict"
        >
          {starts.data.sentence}
        </p>
      )}
      <div className="min-w-0 lg:sticky lg:top-0 lg:max-h-[calc(100vh-4rem)] lg:self-start lg:overflow-y-auto lg:pr-2">
        <AidList
          aids={lab.aids}
          onChange={(aids) => change({ aids })}
          sizes={sizes}
          refused={problemOf(starts.error)}
        />
        <Condition
          base={base}
          onChange={(next) => change({ base: next })}
          nominalUf={nominalUf}
          supply={supply}
          taken={lab.taken}
        />
      </div>
      <div className="min-w-0">
        <ProblemNote problem={problemOf(starts.error)} />
        {body.starts.length === 0 && <p className="py-4 text-soft">{t`Switch on at least one start.`}</p>}
        {starts.data && (
          <>
            <div className="flex flex-wrap items-center gap-x-4 gap-y-1 py-2">
              {strips.map((s, i) => (
                <span key={s.label} className="flex items-center gap-2 text-sm">
                  <svg width="34" height="12" aria-hidden="true">
                    <line
                      x1="0"
                      x2="34"
                      y1="6"
                      y2="6"
                      stroke={`var(${PENS[i]?.colour})`}
                      strokeWidth={PENS[i]?.width}
                      strokeDasharray={PENS[i]?.dash.join(' ')}
                    />
                  </svg>
                  {s.label}
                </span>
              ))}
              {laid && (
                <span className="flex items-center gap-2 text-sm">
                  <svg width="34" height="12" aria-hidden="true">
                    <line x1="0" x2="34" y1="6" y2="6" stroke="var(--line)" strokeWidth="6" />
                  </svg>
                  {t`measured: ${laid.name}`}
                </span>
              )}
              <span className="ml-auto flex flex-wrap items-center gap-3">
                <Tick checked={waves} onChange={setWaves}>
                  <span className="text-sm">{t`Waves`}</span>
                </Tick>
                <Choice
                  label={t`Seconds shown`}
                  hideLabel
                  value={span}
                  onChange={setSpan}
                  options={[
                    { value: 'auto', label: t`Start` },
                    { value: '0.2', label: '0.2 s' },
                    { value: String(SHOWN_S), label: `${SHOWN_S} s` },
                  ]}
                />
              </span>
            </div>
            <Suspense fallback={<p className="py-6">{t`Drawing…`}</p>}>
              <StartStrips starts={strips} laid={over} until={until} waves={waves} />
            </Suspense>
            <Readings results={results} />
            <Reasons out={starts.data} />
            {slow ? (
              <Suspense fallback={<p className="py-6">{t`Drawing…`}</p>}>
                <SlowMotion body={body} />
              </Suspense>
            ) : (
              <Button
                className="mt-3"
                onClick={() => setSlow(true)}
              >{t`Slow motion: what happens inside`}</Button>
            )}
          </>
        )}
        {lab.call !== null && (
          <Measured
            callId={lab.call}
            base={base}
            laid={laid}
            onLaid={setLaid}
            onUse={(start) => change({ base: { ...(start as Entry), trace: false } })}
          />
        )}
        <Takes base={base} aids={lab.aids.filter((a) => a.on)} />
        <Grid base={base} aids={lab.aids} nominalUf={nominalUf} sizes={sizes} />
      </div>
    </div>
  )
}
