import { t } from '@lingui/core/macro'
import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, type Call, client, problemOf, type Schemas } from '../../../api/client'
import { Faces } from '../../../drawings/faces'
import { Button } from '../../../parts/button'
import { Pick } from '../../../parts/pick'
import { ProblemNote } from '../../../parts/problem'
import { VerdictMark } from '../../../parts/verdict'
import { clock, figure } from '../../../quantities/format'
import { pinsOf } from '../pins'
import { useAsWired, useWork } from './use-work'

type Plan = Schemas['WiringOut']

/**
 * What was really joined to what, tapped terminal to terminal on the parts as they look, or chosen from lists; held
 * against the plan, kept on the call, and a mistake is computed and seen to fail.
 */
export function AsWired({
  plan,
  entry,
  call,
  work,
}: {
  plan: Plan
  entry: Schemas['WiringIn']
  call: Call
  work: Schemas['WorkPlan']['work']
}) {
  const [chosen, setChosen] = useState<Record<string, string>>({})
  const [armed, setArmed] = useState<string | null>(null)
  const keep = useAsWired(call.id)
  const kept = useWork(call.id).data?.as_wired.filter((c) => c.checked.work === work) ?? []
  const check = useMutation({
    mutationFn: (nets: string[][]) =>
      answer(
        client.POST('/api/calc/wiring', {
          body: { ...entry, van: null, nets, plate: startPlate(call) },
        }),
      ),
    onSuccess: (_, nets) =>
      keep.mutate({
        work,
        wiring: { ...entry, van: null, plate: null, nets } as Schemas['WiringIn'],
        faults: [],
      }),
  })
  const asked = plan.terminals.filter(
    (terminal) => !terminal.part.startsWith('24 V') && terminal.net !== null,
  )
  const names = plan.after.map((net) =>
    net
      .slice(0, 2)
      .map((terminal) => spoken(plan, terminal))
      .join(', '),
  )
  const open = asked.filter((terminal) => !chosen[terminal.terminal])
  const say = (change: (old: Record<string, string>) => Record<string, string>) => {
    check.reset()
    setChosen(change)
  }
  const tap = (terminal: string) => {
    if (armed === null) return setArmed(terminal)
    setArmed(null)
    // The same one twice: nothing is on it.
    if (armed === terminal) return say((old) => ({ ...old, [terminal]: 'loose' }))
    say((old) => {
      const there = old[terminal]
      const here = old[armed]
      const group = there && there !== 'loose' ? there : here && here !== 'loose' ? here : t`with ${terminal}`
      return { ...old, [armed]: group, [terminal]: group }
    })
  }
  /** A net of the list is the group its terminals are in already, where one was tapped. */
  const keyOf = (net: number) =>
    plan.after[net]?.map((terminal) => chosen[terminal]).find((g) => g && g !== 'loose') ?? String(net)
  const run = () => {
    const groups: Record<string, string[]> = {}
    for (const terminal of plan.terminals) {
      const where = chosen[terminal.terminal] ?? (terminal.net === null ? 'loose' : String(terminal.net))
      if (where !== 'loose') groups[where] = [...(groups[where] ?? []), terminal.terminal]
    }
    check.mutate(Object.values(groups).filter((g) => g.length > 1))
  }
  const told = check.data
  const custom = [...new Set(Object.values(chosen))].filter((g) => g.startsWith('with '))
  return (
    <details>
      <summary className="min-h-11 cursor-pointer border-b-2 border-ink py-2 font-bold">{t`Check the work as wired`}</summary>
      <section aria-label={t`As wired`} className="pt-2">
        <p className="text-soft">{t`Tap a terminal, then what it connects to. Same letter = same wire. Tap it twice = no wire. Either leg and either tab of a pair is OK.`}</p>
        <div className="flex flex-wrap items-center gap-2 py-2">
          <Button
            onClick={() =>
              say(() =>
                Object.fromEntries(asked.map((terminal) => [terminal.terminal, String(terminal.net)])),
              )
            }
          >{t`Fill in as planned, then change what differs`}</Button>
          <Button
            onClick={() => {
              setArmed(null)
              say(() => ({}))
            }}
          >{t`Start over`}</Button>
        </div>
        <p aria-live="polite" className="min-h-6 font-bold">
          {armed && t`${spoken(plan, armed)} connects to…`}
        </p>
        <Faces terminals={asked} pins={pinsOf(call)} groups={chosen} armed={armed} onTap={tap} />
        <details>
          <summary className="min-h-11 cursor-pointer py-2 underline underline-offset-4">{t`Use lists instead`}</summary>
          <div className="grid gap-2 sm:grid-cols-2">
            {asked.map((terminal) => (
              <Pick
                key={terminal.terminal}
                label={`${terminal.part} ${terminal.word}${terminal.colour ? ` (${terminal.colour})` : ''}`}
                value={chosen[terminal.terminal] ?? ''}
                onChange={(v) =>
                  say(({ [terminal.terminal]: _, ...old }) => (v ? { ...old, [terminal.terminal]: v } : old))
                }
                options={[
                  { value: '', label: t`not checked yet` },
                  ...names
                    .map((n, i) => ({ value: keyOf(i), label: t`with ${n}` }))
                    .filter((o, i, all) => all.findIndex((x) => x.value === o.value) === i),
                  ...custom
                    .filter((g) => !plan.after.some((_, i) => keyOf(i) === g))
                    .map((g) => ({ value: g, label: t`with ${spoken(plan, g.slice(5))}` })),
                  { value: 'loose', label: t`nothing` },
                ]}
              />
            ))}
          </div>
        </details>
        <div className="pt-3">
          <Button
            kind="primary"
            busy={check.isPending}
            disabled={open.length > 0}
            onClick={run}
          >{t`Check`}</Button>
          {open.length > 0 && <span className="pl-3 text-soft">{t`${open.length} not checked yet`}</span>}
        </div>
        <ProblemNote problem={problemOf(check.error ?? keep.error)} />
        {told && (
          <div role="status" className="pt-3">
            {told.ok ? (
              <p className="text-lg">
                <VerdictMark verdict="pass" word={t`As planned, electrically`} />
              </p>
            ) : (
              <ul>
                {told.faults?.map((f) => (
                  <li key={f.code + f.text} className="border-b border-faint py-2">
                    <VerdictMark verdict="fail" word={f.text} />
                    <p>{f.effect}</p>
                  </li>
                ))}
              </ul>
            )}
            <Starts told={told} />
          </div>
        )}
        {kept.length > 0 && (
          <ul aria-label={t`Checks on record`} className="pt-2 text-sm">
            {kept.map((c) => (
              <li key={c.checked_at}>
                {clock(c.checked_at)}, {c.person}:{' '}
                {c.checked.ok ? t`as planned` : t`not as planned. ${(c.checked.faults ?? []).join(' ')}`}
              </li>
            ))}
          </ul>
        )}
      </section>
    </details>
  )
}

function Starts({ told }: { told: Plan }) {
  if (!told.start_as_planned || !told.start_as_wired) return null
  return (
    <table className="mt-2 w-full text-left">
      <caption className="text-left font-bold">{t`The start, computed`}</caption>
      <tbody>
        {(
          [
            [t`As planned`, told.start_as_planned],
            [t`As wired`, told.start_as_wired],
          ] as const
        ).map(([word, s]) => (
          <tr key={word} className="border-b border-faint align-top">
            <th className="py-1 pr-3 font-normal text-soft">{word}</th>
            <td className="py-1">
              {s.sentence}
              {s.max_cycle_rms_a !== null && (
                <span className="figure">{t`Largest cycle ${figure(s.max_cycle_rms_a, 3)} A.`}</span>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

function spoken(plan: Plan, terminal: string): string {
  const row = plan.terminals.find((each) => each.terminal === terminal)
  return row ? `${row.part} ${row.word}` : terminal
}

/** The plate as the start model takes it; none where no single-phase start can be computed. */
export function startPlate(call: Call): Schemas['WiringIn']['plate'] {
  const plate = call.plate?.plate
  if (plate?.phase !== 1 || plate.inverter || !plate.compressors[0]?.lra_a) return null
  return plate as Schemas['WiringIn']['plate']
}
