import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, client, problemOf, type Schemas } from '../../api/client'
import { useReference } from '../../api/queries'
import { Choice } from '../../parts/choice'
import { useDraft } from '../../parts/draft'
import { FigureField } from '../../parts/field'
import { FigureScope, NotComputed, useFigures } from '../../parts/figures'
import { ProblemNote } from '../../parts/problem'
import { parseFigure } from '../../quantities/format'
import { AuditList, installed, THERE, type ThereDraft, ThereFields } from './audit'
import { HeatBench } from './heat'
import { QuickSums } from './quick-sums'
import { Sizing } from './sizing'
import { WIRING, type WiringDraft, WiringFields, wiringEntry } from './wiring-fields'

type Loads = {
  volts: string
  phase: string
  rla: string
  lra: string
  fla: string
  other: string
  mca: string
  mocp: string
  allowed: string
}
const LOADS: Loads = {
  volts: '230',
  phase: '1',
  rla: '17.9',
  lra: '112',
  fla: '1.4',
  other: '',
  mca: '23.8',
  mocp: '40',
  allowed: '',
}

/** Sizing, auditing, heat strips and quick sums without a call. */
export function CircuitsScreen() {
  const [view, setView] = useState('size')
  return (
    <div className="mx-auto grid max-w-5xl gap-4 p-3 sm:p-5">
      <h1 className="text-2xl font-bold">Circuits</h1>
      <Choice
        label="Show"
        hideLabel
        value={view}
        onChange={setView}
        options={[
          { value: 'size', label: 'Size a circuit' },
          { value: 'audit', label: 'Audit what is there' },
          { value: 'heat', label: 'Heat strips' },
          { value: 'sums', label: 'Quick sums' },
        ]}
      />
      {view === 'heat' ? <HeatBench /> : view === 'sums' ? <QuickSums /> : <Bench audit={view === 'audit'} />}
      <p className="text-sm text-soft">
        US practice by the edition chosen. Local amendments, the authority having jurisdiction and a licensed
        person decide.
      </p>
    </div>
  )
}

function Bench({ audit }: { audit: boolean }) {
  const [loads, changeLoads] = useDraft<Loads>('circuit.loads', LOADS)
  const [wiring, changeWiring] = useDraft<WiringDraft>('circuit.wiring', WIRING)
  const [load, setLoad] = useState('motor_compressor')
  const [there, changeThere] = useDraft<ThereDraft>('circuit.there', THERE)
  const figures = useFigures()
  const reference = useReference()
  const list = (text: string) =>
    text
      .split(/[\s;]+/)
      .map((t) => parseFigure(t, 'A'))
      .filter((v) => v !== null)
  const lras = list(loads.lra)
  const entry = {
    volts: parseFigure(loads.volts, 'V'),
    phase: Number(loads.phase),
    compressors: list(loads.rla).map((rla_a, i) => ({ rla_a, lra_a: lras[i] ?? lras[0] ?? null })),
    motors: list(loads.fla).map((fla_a) => ({ fla_a })),
    other_a: parseFigure(loads.other, 'A'),
    mca_a: parseFigure(loads.mca, 'A'),
    mocp_a: parseFigure(loads.mocp, 'A'),
    ...(loads.allowed && { overcurrent_allowed: loads.allowed }),
    ...wiringEntry(wiring),
    // The day here, as the shop's own clock has it.
    on_date: reference.data?.today ?? null,
  } as Schemas['CircuitIn']
  const field = (key: keyof Loads, label: string, unit?: string, many = false) => (
    <FigureField
      label={label}
      many={many}
      {...(unit && { unit })}
      value={loads[key]}
      onChange={(v) => changeLoads({ [key]: v })}
    />
  )
  return (
    <FigureScope figures={figures}>
      <div className="grid gap-4">
        <fieldset className="grid gap-3">
          <legend className="border-b-2 border-ink font-bold">The plate, for the supply that is there</legend>
          <div className="grid grid-cols-2 gap-3 sm:grid-cols-4">
            {field('volts', 'Supply', 'V')}
            {field('mca', 'MCA', 'A')}
            {field('mocp', 'MOCP', 'A')}
            {field('other', 'Other load', 'A')}
            {field('rla', 'RLA, each', 'A', true)}
            {field('lra', 'LRA, each', 'A', true)}
            {field('fla', 'Motors, each', 'A', true)}
          </div>
          <div className="flex flex-wrap gap-4">
            <Choice
              label="Phase"
              value={loads.phase}
              onChange={(v) => changeLoads({ phase: v })}
              options={[
                { value: '1', label: 'Single' },
                { value: '3', label: 'Three' },
              ]}
            />
            <Choice
              label="The plate allows"
              value={loads.allowed}
              onChange={(v) => changeLoads({ allowed: v })}
              options={[
                { value: '', label: 'Not read' },
                { value: 'fuse_or_breaker', label: 'Fuse or breaker' },
                { value: 'fuse', label: 'Fuse only' },
              ]}
            />
          </div>
        </fieldset>
        <fieldset className="grid gap-3">
          <legend className="border-b-2 border-ink font-bold">How it is wired</legend>
          <WiringFields d={wiring} change={changeWiring} />
        </fieldset>
        {audit ? (
          <>
            <fieldset className="grid gap-3">
              <legend className="border-b-2 border-ink font-bold">What is there</legend>
              <ThereFields d={there} change={changeThere} />
              <Choice
                label="It feeds"
                value={load}
                onChange={setLoad}
                options={[
                  { value: 'motor_compressor', label: 'A compressor' },
                  { value: 'heat', label: 'Electric heat' },
                ]}
              />
            </fieldset>
            {figures.whole && <Audit entry={entry} there={installed(there)} load={load} />}
          </>
        ) : (
          figures.whole && <Sizing entry={entry} />
        )}
        <NotComputed figures={figures} />
      </div>
    </FigureScope>
  )
}

function Audit({
  entry,
  there,
  load,
}: {
  entry: Schemas['CircuitIn']
  there: Schemas['Installed'] | null
  load: string
}) {
  const body = { ...entry, installed: there, load } as Schemas['AuditIn']
  const audit = useQuery({
    queryKey: ['audit', body],
    enabled: there !== null,
    queryFn: () => answer(client.POST('/api/calc/audit', { body })),
    placeholderData: (old) => old,
    retry: false,
  })
  if (!there) return <p className="text-lg">Say which device is there, and the audit follows.</p>
  return (
    <>
      <ProblemNote problem={problemOf(audit.error)} />
      {audit.data && !audit.error && <AuditList audit={audit.data} />}
    </>
  )
}
