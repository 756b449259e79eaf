import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, type Call, client, problemOf, type Schemas } from '../../../api/client'
import { Button } from '../../../parts/button'
import { Pick } from '../../../parts/pick'
import { ProblemNote } from '../../../parts/problem'
import { VerdictMark } from '../../../parts/verdict'
import { figure } from '../../../quantities/format'

type Plan = Schemas['WiringOut']

/** What was really joined to what, held against the plan; a mistake is computed, and seen to fail. */
export function AsWired({ plan, entry, call }: { plan: Plan; entry: Schemas['WiringIn']; call: Call }) {
  const [chosen, setChosen] = useState<Record<string, string>>({})
  const check = useMutation({
    mutationFn: (nets: string[][]) =>
      answer(
        client.POST('/api/calc/wiring', {
          body: { ...entry, van: null, nets, plate: startPlate(call) },
        }),
      ),
  })
  const asked = plan.terminals.filter((t) => !t.part.startsWith('24 V') && t.net !== null)
  const names = plan.after.map((net) =>
    net
      .slice(0, 2)
      .map((t) => spoken(plan, t))
      .join(', '),
  )
  const open = asked.filter((t) => !chosen[t.terminal])
  const run = () => {
    const groups: Record<string, string[]> = {}
    for (const t of plan.terminals) {
      const where = chosen[t.terminal] ?? (t.net === null ? 'loose' : String(t.net))
      if (where !== 'loose') groups[where] = [...(groups[where] ?? []), t.terminal]
    }
    check.mutate(Object.values(groups))
  }
  const told = check.data
  return (
    <details>
      <summary className="min-h-11 cursor-pointer border-b-2 border-ink py-2 font-bold">
        Check the work as wired
      </summary>
      <section aria-label="As wired" className="pt-2">
        <p className="text-soft">
          For each terminal: with what is it joined? Either leg and either tab of a pair are right.
        </p>
        <div className="flex flex-wrap gap-2 py-2">
          <Button
            onClick={() => setChosen(Object.fromEntries(asked.map((t) => [t.terminal, String(t.net)])))}
          >
            Fill in as planned, then change what differs
          </Button>
        </div>
        <div className="grid gap-2 sm:grid-cols-2">
          {asked.map((t) => (
            <Pick
              key={t.terminal}
              label={`${t.part} ${t.word}${t.colour ? ` (${t.colour})` : ''}`}
              value={chosen[t.terminal] ?? ''}
              onChange={(v) => setChosen((old) => ({ ...old, [t.terminal]: v }))}
              options={[
                { value: '', label: 'not looked at yet' },
                ...names.map((n, i) => ({ value: String(i), label: `with ${n}` })),
                { value: 'loose', label: 'nothing' },
              ]}
            />
          ))}
        </div>
        <div className="pt-3">
          <Button kind="primary" busy={check.isPending} disabled={open.length > 0} onClick={run}>
            Check
          </Button>
          {open.length > 0 && <span className="pl-3 text-soft">{open.length} not looked at yet</span>}
        </div>
        <ProblemNote problem={problemOf(check.error)} />
        {told && (
          <div role="status" className="pt-3">
            {told.ok ? (
              <p className="text-lg">
                <VerdictMark verdict="pass" word="As planned, electrically" />
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
      </section>
    </details>
  )
}

function Starts({ told }: { told: Plan }) {
  if (!told.start_as_planned || !told.start_as_wired) return null
  return (
    <table className="mt-2 w-full text-left">
      <caption className="text-left font-bold">The start, computed</caption>
      <tbody>
        {(
          [
            ['As planned', told.start_as_planned],
            ['As wired', told.start_as_wired],
          ] as const
        ).map(([word, s]) => (
          <tr key={word} className="border-b border-faint align-top">
            <th className="py-1 pr-3 font-normal text-soft">{word}</th>
            <td className="py-1">
              {s.sentence}
              {s.max_cycle_rms_a !== null && (
                <span className="figure"> Largest cycle {figure(s.max_cycle_rms_a, 3)} A.</span>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

function spoken(plan: Plan, terminal: string): string {
  const row = plan.terminals.find((t) => t.terminal === terminal)
  return row ? `${row.part} ${row.word}` : terminal
}

/** The plate as the start model takes it; none where no single-phase start can be computed. */
export function startPlate(call: Call): Schemas['WiringIn']['plate'] {
  const plate = call.plate?.plate
  if (plate?.phase !== 1 || plate.inverter || !plate.compressors[0]?.lra_a) return null
  return plate as Schemas['WiringIn']['plate']
}
