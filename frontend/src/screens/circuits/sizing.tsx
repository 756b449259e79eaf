import { t } from '@lingui/core/macro'
import { useQueries, useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import { answer, client, problemOf, type Schemas } from '../../api/client'
import { Lines } from '../../charts/lines'
import { figure } from '../../quantities/format'
import { inUnit, measure, unitWord } from '../../quantities/measures'
import { sizeWord } from '../../quantities/size'
import { AnswerFirst } from './answer-first'

type Circuit = Schemas['CircuitIn']
type Sized = Schemas['CircuitOut']
const size = (entry: Circuit) => answer(client.POST('/api/calc/circuit', { body: entry }))

export function useSizing(entry: Circuit, enabled: boolean) {
  return useQuery({
    queryKey: ['circuit', entry],
    enabled,
    queryFn: () => size(entry),
    placeholderData: (old) => old,
    retry: false,
  })
}

/** A sized circuit: the answer, what else would do, the drop over length, what to bring. */
export function Sizing({ entry, out }: { entry: Circuit; out: Sized }) {
  return (
    <div className="grid gap-4">
      <AnswerFirst out={out} findings={out.findings} />
      <details className="border-b border-faint">
        <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`What if: metal, terminals, length`}</summary>
        <WhatIf entry={entry} out={out} />
        <DropOverLength entry={entry} out={out} />
      </details>
      <details className="border-b border-faint">
        <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`To bring, and to write down`}</summary>
        <section aria-label={t`Materials`}>
          <ul>
            {out.materials.map((m) => (
              <li key={m.item} className="flex flex-wrap gap-x-3 border-b border-faint py-1">
                <span className="figure w-16 text-right">
                  {m.length_ft !== null ? measure(m.length_ft, 'ft') : (m.count ?? '')}
                </span>
                <span className="min-w-0 flex-1 basis-48">{m.item}</span>
                <span className="text-soft">{m.note}</span>
              </li>
            ))}
          </ul>
        </section>
      </details>
    </div>
  )
}

function WhatIf({ entry, out: now }: { entry: Circuit; out: Sized }) {
  const limit = now.findings.find((f) => f.code === 'START_DROP')?.inputs?.limit_pct as number | undefined
  const variants: { word: string; change: Partial<Circuit> }[] = [
    ...(limit ? [{ word: t`Start within ${figure(limit)} %`, change: { start_limit_pct: limit } }] : []),
    { word: t`Sized by MCA`, change: { school: 'mca' } },
    { word: t`Sized by breaker`, change: { school: 'breaker' } },
    { word: t`60 °C terminals`, change: { termination_c: 60 } },
    { word: t`75 °C terminals`, change: { termination_c: 75 } },
    { word: t`Copper`, change: { material: 'copper' } },
    { word: t`Aluminum`, change: { material: 'aluminum' } },
    ...(entry.length_ft
      ? [
          { word: t`Half the length`, change: { length_ft: entry.length_ft / 2 } },
          { word: t`Twice the length`, change: { length_ft: entry.length_ft * 2 } },
        ]
      : []),
  ]
  const made = useQueries({
    queries: variants.map((v) => ({
      queryKey: ['circuit', { ...entry, ...v.change }],
      queryFn: () => size({ ...entry, ...v.change }),
      retry: false,
    })),
  })
  return (
    <section aria-label={t`What if`} className="overflow-x-auto">
      <table className="figure w-full text-left text-sm">
        <thead>
          <tr className="border-b-2 border-ink">
            <th className="py-1 pr-3 font-normal">{t`Only this changed`}</th>
            <th className="pr-3 font-normal">{t`conductor`}</th>
            <th className="pr-3 font-normal">{t`ground`}</th>
            <th className="pr-3 font-normal">{t`usable`}</th>
            <th className="pr-3 font-normal">{t`drop`}</th>
            <th className="font-normal">{t`at the start`}</th>
          </tr>
        </thead>
        <tbody>
          {variants.map((v, i) => {
            const out = made[i]?.data
            const refused = problemOf(made[i]?.error)
            return (
              <tr key={v.word} className="border-b border-faint">
                <th className="py-1 pr-3 font-sans font-normal">{v.word}</th>
                {out ? (
                  <>
                    <td className="pr-3 font-bold">{sizeWord(out.conductor_awg)}</td>
                    <td className="pr-3">{sizeWord(out.egc_awg)}</td>
                    <td className="pr-3">{figure(out.ampacity_a, 3)} A</td>
                    <td className="pr-3">
                      {out.voltage_drop_pct === null ? '–' : `${figure(out.voltage_drop_pct, 3)} %`}
                    </td>
                    <td>{out.start_drop_pct === null ? '–' : `${figure(out.start_drop_pct, 3)} %`}</td>
                  </>
                ) : (
                  <td colSpan={5} className="font-sans text-soft">
                    {refused ? refused.detail : '…'}
                  </td>
                )}
              </tr>
            )
          })}
        </tbody>
      </table>
    </section>
  )
}

function DropOverLength({ entry, out }: { entry: Circuit; out: Sized }) {
  const body = {
    conductor_awg: out.conductor_awg,
    length_ft: entry.length_ft ?? 100,
    amps: out.drop_at_a,
    volts: entry.volts,
    phase: entry.phase,
    material: entry.material,
    raceway_metal: out.reactance_of,
    power_factor: entry.power_factor ?? 0.85,
  } as Schemas['DropIn']
  const drop = useQuery({
    queryKey: ['drop', body],
    queryFn: () => answer(client.POST('/api/calc/drop', { body })),
    placeholderData: (old) => old,
    retry: false,
  })
  const curves = useMemo(
    () =>
      drop.data?.curves.map((c) => ({
        label: sizeWord(c.conductor_awg),
        x: c.length_ft.map(inUnit('ft').of),
        y: c.drop_pct,
      })) ?? [],
    [drop.data],
  )
  if (curves.length === 0) return null
  return (
    <Lines
      title={t`Drop against length, and the neighboring sizes`}
      curves={curves}
      xLabel={unitWord('ft') === 'm' ? t`meters, one way` : t`feet, one way`}
      yLabel={t`drop`}
      unit="%"
      height={170}
    />
  )
}
