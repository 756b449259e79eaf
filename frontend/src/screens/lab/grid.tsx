import { t } from '@lingui/core/macro'
import { useMutation, useQuery } from '@tanstack/react-query'
import { Progress } from 'radix-ui'
import { useState } from 'react'
import { answer, at, client, problemOf, type Schemas } from '../../api/client'
import { HeatMap } from '../../charts/heat-map'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { Pick } from '../../parts/pick'
import { ProblemNote } from '../../parts/problem'
import type { ChosenAid, Entry } from './lab-state'

type Axis = { field: string; word: string; unit: string; values: number[] }

function spread(low: number, high: number, count: number, digits = 0): number[] {
  const step = (high - low) / (count - 1)
  return Array.from({ length: count }, (_, i) => Number((low + i * step).toFixed(digits)))
}

/** Many starts at once: two things varied, a cell a start. */
export function Grid({
  base,
  aids,
  nominalUf,
  sizes,
}: {
  base: Entry
  aids: ChosenAid[]
  nominalUf: number | null
  sizes: Schemas['StartCapacitorRange'][]
}) {
  const rated = base.plate?.volts ?? 230
  const axes: Axis[] = [
    {
      field: 'aid.start_cap_uf',
      word: t`Start capacitor`,
      unit: 'µF',
      values: sizes.map((s) => (s.low_uf + s.high_uf) / 2),
    },
    {
      field: 'load.start_torque_pct',
      word: t`Load`,
      unit: '%',
      values: [0, 10, 20, 30, 40, 50, 60, 80, 100, 130, 160, 200],
    },
    { field: 'source.volts', word: t`Volts`, unit: 'V', values: spread(rated * 0.74, rated * 1.1, 10) },
    {
      field: 'run_cap_uf',
      word: t`Run capacitor`,
      unit: 'µF',
      values: nominalUf === null ? [] : spread(nominalUf * 0.3, nominalUf * 1.2, 10, 1),
    },
  ]
  const withAid = aids.find((a) => a.on && a.aid.kind !== 'none') ?? aids[0]
  const [aid, setAid] = useState<string | null>(null)
  const chosen = aids.find((a) => a.label === aid) ?? withAid
  const takesCapacitor = chosen?.aid.kind === 'start_capacitor' || chosen?.aid.kind === 'soft_starter'
  const possible = axes.filter(
    (a) => a.values.length > 0 && (a.field !== 'aid.start_cap_uf' || takesCapacitor),
  )
  const [picked, setPicked] = useState<{ across: string; up: string }>({
    across: 'aid.start_cap_uf',
    up: 'load.start_torque_pct',
  })
  const across =
    possible.find((a) => a.field === picked.across) ?? possible.find((a) => a.field !== picked.up)
  const up =
    possible.find((a) => a.field === picked.up && a.field !== across?.field) ??
    possible.find((a) => a.field !== across?.field)
  const [run, setRun] = useState<{ id: string; across: Axis; up: Axis; aid: string } | null>(null)
  const begin = useMutation({
    mutationFn: async () => {
      if (!across || !up || !chosen) throw new Error(t`Choose two things to vary.`)
      const { plate, ...rest } = base
      const begun = await answer(
        client.POST('/api/lab/sweeps', {
          body: {
            start: { ...rest, plate, aid: chosen.aid, trace: false, duration_s: 1.5 },
            vary: [
              { field: up.field, values: up.values },
              { field: across.field, values: across.values },
            ],
          } as unknown as Schemas['SweepIn'],
        }),
      )
      setRun({ id: begun.id, across, up, aid: chosen.label })
    },
  })
  const state = useQuery({
    queryKey: ['sweep', run?.id],
    enabled: run !== null,
    queryFn: () =>
      answer(client.GET('/api/lab/sweeps/{name}', { params: { path: { name: run?.id ?? '' } } })),
    refetchInterval: (query) => (query.state.data?.status === 'running' ? 300 : false),
  })
  const cancel = useMutation({
    mutationFn: () =>
      answer(client.DELETE('/api/lab/sweeps/{name}', { params: { path: { name: run?.id ?? '' } } })),
    onSettled: () => state.refetch(),
  })
  const running = state.data?.status === 'running'
  return (
    <section aria-label={t`Grid`} className="pt-4">
      <h2 className="border-b-2 border-ink font-bold">{t`Grid (one start per cell)`}</h2>
      <div className="flex flex-wrap items-end gap-3 pt-2">
        <Pick
          label={t`Aid varied`}
          value={chosen?.label ?? ''}
          onChange={setAid}
          options={aids.map((a) => ({ value: a.label, label: a.label }))}
        />
        <Choice
          label={t`Across`}
          value={across?.field ?? ''}
          onChange={(field) => setPicked((old) => ({ ...old, across: field }))}
          options={possible.map((a) => ({ value: a.field, label: a.word }))}
        />
        <Choice
          label="Up"
          value={up?.field ?? ''}
          onChange={(field) => setPicked((old) => ({ ...old, up: field }))}
          options={possible
            .filter((a) => a.field !== across?.field)
            .map((a) => ({ value: a.field, label: a.word }))}
        />
        <Button
          kind="primary"
          busy={begin.isPending}
          disabled={running}
          onClick={() => begin.mutate()}
        >{t`Compute the grid`}</Button>
        {running && <Button onClick={() => cancel.mutate()} disabled={cancel.isPending}>{t`Stop`}</Button>}
      </div>
      <ProblemNote problem={problemOf(begin.error) ?? problemOf(state.error)} />
      {run && state.data && (
        <div className="pt-2">
          <p aria-live="polite" className="text-sm text-soft">
            {t`${run.aid}: ${state.data.done} of ${state.data.total} starts`}
            {state.data.status === 'cancelled' && t`, stopped`}
            {state.data.status === 'done' && t`, all computed`}
            {' · '}
            <a className="underline" href={at(`/api/lab/sweeps/${run.id}/file`)}>{t`as CSV`}</a>
          </p>
          <Progress.Root
            max={state.data.total}
            value={state.data.done}
            aria-label={t`Starts computed`}
            className="my-1 h-2 w-full border border-line bg-field"
          >
            <Progress.Indicator
              className="h-full bg-orange"
              style={{ width: `${(100 * state.data.done) / state.data.total}%` }}
            />
          </Progress.Root>
          <HeatMap
            rows={state.data.rows}
            across={{ word: run.across.word, unit: run.across.unit, values: run.across.values }}
            up={{ word: run.up.word, unit: run.up.unit, values: run.up.values }}
          />
        </div>
      )}
    </section>
  )
}
