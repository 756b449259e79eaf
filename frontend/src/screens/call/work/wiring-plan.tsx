import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { Link } from 'react-router'
import { answer, at, type Call, client, problemOf, type Schemas } from '../../../api/client'
import { Faces } from '../../../drawings/faces'
import { WiringDrawing } from '../../../drawings/wiring'
import { Button } from '../../../parts/button'
import { Choice } from '../../../parts/choice'
import { FigureField, TextField, Tick } from '../../../parts/field'
import { Photos } from '../../../parts/photos'
import { ProblemNote } from '../../../parts/problem'
import { useReadOnly, WhileOpen } from '../../../parts/read-only'
import { VerdictMark } from '../../../parts/verdict'
import { parseCount } from '../../../quantities/figure'
import { pinsOf } from '../pins'
import { AsWired } from './as-wired'
import { Fit } from './fit'
import { useSavePlan, useVan, useWork } from './use-work'

type Wiring = Schemas['WiringIn']
export type Job = {
  work: Schemas['WorkPlan']['work']
  part: string | null
  title: string
  kind: Wiring['kind']
  more?: Partial<Wiring>
  min_off_s?: number | null
  learning_starts?: number | null
  for_backup?: boolean
  goal?: string | null
  replaces?: Schemas['WorkPlan']['replaces']
}

/** One job, lead by lead: what is needed, what moves where, how it looks, and whether it is right. */
export function WiringPlan({
  call,
  job,
  holderId,
  fresh,
}: {
  call: Call
  job: Job
  holderId: number | null
  fresh: boolean
}) {
  const work = useWork(call.id)
  const kept = work.data?.plans.find((p) => p.plan.work === job.work && p.plan.title === job.title)?.plan
  const [changed, setChanged] = useState<Partial<Wiring>>({})
  const [shown, setShown] = useState('after')
  const van = useVan(holderId)
  const save = useSavePlan(call.id)
  // What the van held when the work was planned: fitting a part changes no plan.
  const held = useRef<typeof van.data>(undefined)
  held.current ??= van.data
  const consumables = held.current?.lines.filter((l) => l.part.kind === 'consumable')
  const entry = {
    kind: job.kind,
    ...(WITH_OLD_KIT.includes(job.kind) && work.data?.old_kit ? { old_kit: work.data.old_kit } : {}),
    ...job.more,
    ...kept?.wiring,
    ...changed,
    nets: null,
    plate: null,
    van: consumables?.map((l) => ({ item: l.part.title, count: Math.max(0, l.count) })) ?? null,
  } as Wiring
  const plan = useQuery({
    queryKey: ['wiring', entry],
    enabled: holderId === null || !van.isPending,
    queryFn: ({ signal }) => answer(client.POST('/api/calc/wiring', { body: entry, signal })),
    placeholderData: (old) => old,
    retry: false,
  })
  // Shown at once while it is being saved; a refusal puts it back.
  const ticked = (save.isPending ? save.variables.ticked : kept?.ticked) ?? []
  const top = useRef<HTMLElement>(null)
  const laid = plan.isSuccess
  useEffect(() => {
    if (laid && fresh) top.current?.scrollIntoView({ block: 'start' })
  }, [laid, fresh])
  const keep = (part: { wiring?: Partial<Wiring>; ticked?: number[] }) =>
    save.mutate({
      work: job.work,
      part: job.part,
      title: job.title,
      wiring: { ...entry, van: null, ...part.wiring } as Schemas['WorkPlan']['wiring'],
      ticked: part.ticked ?? ticked,
      min_off_s: job.min_off_s ?? null,
      learning_starts: job.learning_starts ?? null,
      for_backup: job.for_backup ?? false,
      goal: job.goal ?? null,
      dropped: false,
      replaces: job.replaces ?? null,
    })
  const change = (part: Partial<Wiring>) => {
    setChanged((old) => ({ ...old, ...part }))
    keep({ wiring: part })
  }
  // Chosen is kept: goal, part and what the unit has are there again after any other rung.
  const begun = useRef(false)
  const closed = useReadOnly()
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, when the plan was just chosen and is laid out
  useEffect(() => {
    if (!fresh || !laid || kept || closed || begun.current || work.data === undefined) return
    begun.current = true
    keep({})
  }, [fresh, laid, kept === undefined, work.data === undefined])
  const gate = call.allowed.tick_move
  const proofs = work.data?.plans.find((w) => w.plan.work === job.work && w.plan.title === job.title)?.proofs
  const fitted = work.data?.fitted.some((f) => f.fitting.work === job.work)
  const before =
    fitted || ticked.length > 0 ? [] : (proofs ?? []).filter((w) => /_before$/.test(w.key) && !w.done)
  const p = plan.data
  return (
    <section
      aria-label={t`Wiring plan`}
      ref={top}
      className="grid gap-4 border-t-2 border-l-[7px] border-t-ink border-l-dead pt-3 pl-3"
    >
      <div>
        <h3 className="text-lg font-bold">
          {job.title} <span className="text-dead">{t`POWER OFF to work here`}</span>
        </h3>
        <ProblemNote problem={problemOf(plan.error)} />
        {before.length > 0 && (
          <p className="border-l-[7px] border-watch bg-field p-3">
            {t`△ Measure first, it cannot be had after: ${before.map((b) => b.text.toLowerCase()).join(', ')}.`}{' '}
            <Link
              className="font-bold underline"
              to={`/calls/${call.id}/live_tests`}
            >{t`Power-on tests`}</Link>
          </p>
        )}
      </div>
      {p && (
        <>
          <UnitHas entry={entry} onChange={change} kind={job.kind} />
          <Needed plan={p} free={entry.free_tabs ?? {}} onChange={change} />
          <div className="grid gap-4 xl:grid-cols-[minmax(0,24rem)_minmax(0,1fr)]">
            <div>
              <Choice
                label={t`Drawing`}
                hideLabel
                value={shown}
                onChange={setShown}
                options={[
                  { value: 'before', label: t`Before` },
                  { value: 'after', label: t`After` },
                  { value: 'parts', label: t`Parts in hand` },
                ]}
              />
              {shown === 'parts' ? (
                <div className="pt-2">
                  <p className="pb-2 text-sm text-soft">{t`After: same letter, same wire.`}</p>
                  <Faces
                    terminals={p.terminals.filter((terminal) => terminal.net !== null)}
                    pins={pinsOf(call)}
                    groups={Object.fromEntries(
                      p.terminals
                        .filter((terminal) => terminal.net !== null)
                        .map((free) => [free.terminal, String(free.net)]),
                    )}
                  />
                </div>
              ) : (
                <WiringDrawing svg={shown === 'after' ? p.svg : p.svg_before} className="pt-2" />
              )}
              <Exports entry={entry} callId={call.id} />
            </div>
            <div className="grid content-start gap-4">
              <Moves
                plan={p}
                ticked={ticked}
                gate={gate}
                callId={call.id}
                onGroup={(places) =>
                  keep({ ticked: [...new Set([...ticked, ...places])].sort((a, b) => a - b) })
                }
                onTick={(i, on) =>
                  keep({
                    ticked: on ? [...ticked, i].sort((a, b) => a - b) : ticked.filter((step) => step !== i),
                  })
                }
              />
              <ProblemNote problem={problemOf(save.error)} />
              <WhileOpen>
                <AsWired plan={p} entry={entry} call={call} work={job.work} />
                <Fit call={call} job={job} holderId={holderId} />
              </WhileOpen>
            </div>
          </div>
          <details>
            <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`Photos`}</summary>
            <Photos call={call} />
          </details>
        </>
      )}
    </section>
  )
}

const WITH_OLD_KIT: Wiring['kind'][] = [
  'two_wire_kit',
  'three_wire_kit',
  'soft_starter_four_lead',
  'soft_starter_five_lead',
]

function UnitHas({
  entry,
  onChange,
  kind,
}: {
  entry: Wiring
  onChange: (part: Partial<Wiring>) => void
  kind: Wiring['kind']
}) {
  const outdoor = !['three_in_one', 'disconnect', 'heat_kit'].includes(kind)
  const colours = entry.colours ?? {}
  const leads = outdoor
    ? [
        ['compressor.R', t`Compressor R`],
        ['compressor.S', t`Compressor S`],
        ['compressor.C', t`Compressor C`],
        ['fan.C', t`Fan common`],
        ['fan.S', t`Fan to capacitor`],
      ]
    : kind === 'three_in_one'
      ? [
          ['compressor.R', t`Compressor R`],
          ['compressor.S', t`Compressor S`],
          ['compressor.C', t`Compressor C`],
        ]
      : []
  return (
    <details className="border-b border-faint">
      <summary className="min-h-11 cursor-pointer py-2 font-bold">
        {t`This unit has`}
        <span className="pl-2 font-normal text-soft">
          {outdoor &&
            `${entry.poles === 1 ? t`one pole` : t`two poles`}, ${entry.run_capacitor === 'two_singles' ? t`two capacitors` : t`a dual capacitor`}${entry.crankcase_heater ? t`, crankcase heater` : ''}`}
          {Object.keys(colours).length > 0 && t` · ${Object.keys(colours).length} colors`}
        </span>
      </summary>
      <div className="grid gap-3 pb-3">
        {outdoor && (
          <div className="flex flex-wrap gap-3">
            {!kind.startsWith('contactor_') && (
              <Choice
                label={t`Contactor`}
                value={String(entry.poles ?? 2)}
                onChange={(v) => onChange({ poles: Number(v) as 1 | 2 })}
                options={[
                  { value: '1', label: t`One pole` },
                  { value: '2', label: t`Two poles` },
                ]}
              />
            )}
            {WITH_OLD_KIT.includes(kind) && (
              <Choice
                label={t`Old kit to remove`}
                value={entry.old_kit ?? ''}
                onChange={(v) => onChange({ old_kit: (v || null) as Wiring['old_kit'] })}
                options={[
                  { value: '', label: t`None` },
                  { value: 'two_wire', label: t`Two-wire` },
                  { value: 'three_wire', label: t`Three-wire` },
                ]}
              />
            )}
            {!kind.includes('singles') && kind !== 'dual_capacitor' && (
              <Choice
                label={t`Run capacitor`}
                value={entry.run_capacitor ?? 'dual'}
                onChange={(v) => onChange({ run_capacitor: v as 'dual' })}
                options={[
                  { value: 'dual', label: t`Dual` },
                  { value: 'two_singles', label: t`Two singles` },
                ]}
              />
            )}
            <Choice
              label={t`Fan leads`}
              value={String(entry.fan_wires ?? 3)}
              onChange={(v) => onChange({ fan_wires: Number(v) as 3 | 4 })}
              options={[
                { value: '3', label: t`Three` },
                { value: '4', label: t`Four` },
              ]}
            />
            <Choice
              label={t`Contactor markings`}
              value={entry.numbering ?? 'lettered'}
              onChange={(v) => onChange({ numbering: v as 'lettered' })}
              options={[
                { value: 'lettered', label: 'L1 / T1' },
                { value: 'numbered', label: '1 / 2, 3 / 4' },
              ]}
            />
          </div>
        )}
        {outdoor && (
          <Tick
            checked={entry.crankcase_heater ?? false}
            onChange={(on) => onChange({ crankcase_heater: on })}
          >{t`Crankcase heater`}</Tick>
        )}
        {leads.length > 0 && (
          <fieldset className="grid grid-cols-2 gap-3 sm:grid-cols-3">
            <legend className="pb-1 text-sm text-soft">{t`Wire colors on this unit. Another unit may differ.`}</legend>
            {leads.map(([terminal, word]) => (
              <LeadColor
                key={`${terminal} ${colours[terminal as string] ?? ''}`}
                label={word as string}
                kept={colours[terminal as string] ?? ''}
                onLeave={(text) => {
                  const { [terminal as string]: _, ...rest } = colours
                  onChange({ colours: text ? { ...rest, [terminal as string]: text } : rest })
                }}
              />
            ))}
          </fieldset>
        )}
      </div>
    </details>
  )
}

/** A color word; kept once when the field is left, never letter by letter. */
function LeadColor({
  label,
  kept,
  onLeave,
}: {
  label: string
  kept: string
  onLeave: (text: string) => void
}) {
  const [text, setText] = useState(kept)
  return (
    <TextField
      label={label}
      value={text}
      onChange={setText}
      onBlur={() => {
        if (text.trim() !== kept) onLeave(text.trim())
      }}
    />
  )
}

/** A count of free tabs; kept when the field is left, and only where it is a whole number. */
function TabCount({
  label,
  kept,
  onLeave,
}: {
  label: string
  kept: string
  onLeave: (count: number | null) => void
}) {
  const [text, setText] = useState(kept)
  const count = parseCount(text)
  const wrong = text.trim() !== '' && (count === null || count < 0 || count > 9)
  return (
    <FigureField
      label={label}
      value={text}
      onChange={setText}
      problem={wrong ? t`A whole number from 0 to 9.` : undefined}
      onBlur={() => {
        if (!wrong && text.trim() !== kept) onLeave(count)
      }}
    />
  )
}

function Needed({
  plan,
  free,
  onChange,
}: {
  plan: Schemas['WiringOut']
  free: Record<string, number>
  onChange: (part: Partial<Wiring>) => void
}) {
  const piggy = plan.tabs.filter((tab) => tab.piggyback)
  return (
    <section aria-label={t`Before work starts`}>
      <h4 className="border-b-2 border-ink font-bold">{t`Before work starts`}</h4>
      <ul>
        {plan.consumables.map((c) => (
          <li key={c.item} className="flex flex-wrap items-baseline gap-x-3 border-b border-faint py-1">
            <span className="figure w-8 text-right">{c.count}</span>
            <span className="min-w-0 flex-1 basis-48">
              {c.item} <span className="text-soft">· {c.what_for}</span>
            </span>
            {c.enough !== null && (
              <VerdictMark verdict={c.enough ? 'pass' : 'watch'} word={t`${c.on_van ?? 0} on the van`} />
            )}
          </li>
        ))}
      </ul>
      {plan.tabs.length > 0 && (
        <fieldset className="flex flex-wrap gap-3 pt-2">
          <legend className="text-sm font-bold text-soft">{t`Free tabs counted on this unit`}</legend>
          {plan.tabs.map((tab) => (
            <div key={tab.terminal} className="w-40">
              <TabCount
                key={`${tab.terminal} ${free[tab.terminal] ?? ''}`}
                label={wordOf(plan, tab.terminal)}
                kept={tab.terminal in free ? String(free[tab.terminal]) : ''}
                onLeave={(count) => {
                  const { [tab.terminal]: _, ...rest } = free
                  onChange({ free_tabs: count === null ? rest : { ...rest, [tab.terminal]: count } })
                }}
              />
            </div>
          ))}
        </fieldset>
      )}
      {piggy.map((tab) => (
        <p key={tab.terminal} className="pt-1">
          <VerdictMark verdict="watch" word={t`No tab free`} />{' '}
          {t`${wordOf(plan, tab.terminal)}: ${tab.leads_after} leads on ${tab.tabs} tabs.`}
        </p>
      ))}
      <ul className="list-disc pt-2 pl-5 text-soft">
        {plan.minds.map((m) => (
          <li key={m}>{m}</li>
        ))}
      </ul>
      {plan.finding_terminals.length > 0 && (
        <p className="pt-1 text-soft">
          <b>{t`Which is R, S, C?`}</b> {plan.finding_terminals.join(' ')}
        </p>
      )}
    </section>
  )
}

function wordOf(plan: Schemas['WiringOut'], terminal: string): string {
  const row = plan.terminals.find((each) => each.terminal === terminal)
  return row ? `${row.part} ${row.word}` : terminal
}

function Moves({
  plan,
  ticked,
  gate,
  callId,
  onTick,
  onGroup,
}: {
  plan: Schemas['WiringOut']
  ticked: number[]
  gate: Schemas['Gate'] | undefined
  callId: number
  onTick: (index: number, on: boolean) => void
  onGroup: (places: number[]) => void
}) {
  const open = (plan.groups ?? []).filter((g) => g.moves.some((i) => !ticked.includes(i)))
  const next = plan.moves.findIndex((_, i) => !ticked.includes(i))
  return (
    <section aria-label={t`Moves`}>
      <h4 className="border-b-2 border-ink font-bold">
        {t`Moves, one at a time`}{' '}
        <span className="figure font-normal text-soft">{t`${ticked.length} of ${plan.moves.length}`}</span>
      </h4>
      {!gate?.ok && ticked.length < plan.moves.length && (
        <p className="border-l-[7px] border-dead bg-field p-3">
          {gate?.why} {t`Steps unlock once proved dead.`}{' '}
          <Link className="font-bold underline" to={`/calls/${callId}/make_safe`}>{t`Make safe`}</Link>
        </p>
      )}
      {plan.taps.length > 0 && (
        <p className="pt-2 font-bold">
          {t`Sections ${plan.taps.join(' + ')} joined:`} {plan.taps_uf} µF.
        </p>
      )}
      {open.length > 0 && gate?.ok && (
        <div className="grid justify-items-start gap-2 py-2">
          <p className="text-soft">{t`One for one, each to the terminal of the same name; photograph first.`}</p>
          {open.map((g) => (
            <Button
              key={g.title}
              className="text-left"
              onClick={() => onGroup(g.moves)}
            >{t`✓ All of these done: ${g.title}, ${g.moves.length} leads`}</Button>
          ))}
        </div>
      )}
      <ol>
        {plan.moves.map((m, i) => (
          <li
            key={`${m.lead} ${m.from} ${m.to}`}
            className={`border-b border-faint py-2 ${i === next ? 'border-l-[5px] border-l-orange pl-2' : ''}`}
          >
            <Tick
              checked={ticked.includes(i)}
              disabled={!gate?.ok && !ticked.includes(i)}
              onChange={(on) => onTick(i, on)}
            >
              <span className="block">
                <b>
                  {i + 1}. {m.lead}
                </b>
                {m.colour && <span className="text-orange-ink"> {m.colour}</span>}
                {m.photograph && <span className="text-sm text-soft">{t`· photograph first`}</span>}
              </span>
              <span className="block">
                {m.from} <span aria-hidden="true">→</span>
                <span className="sr-only">{t`to`}</span> <b>{m.to}</b>
                {m.note && <span className="text-soft"> · {m.note}</span>}
              </span>
            </Tick>
          </li>
        ))}
      </ol>
    </section>
  )
}

function Exports({ entry, callId }: { entry: Wiring; callId: number }) {
  const [problem, setProblem] = useState<string | null>(null)
  const fetchFile = async (kind: 'svg' | 'pdf') => {
    setProblem(null)
    const answered = await fetch(at(`/api/wiring/plan.${kind}?call_id=${callId}`), {
      method: 'POST',
      headers: {
        'Content-Type': 'application/json',
      },
      body: JSON.stringify(entry),
    }).catch(() => null)
    if (!answered?.ok) {
      setProblem(t`The file could not be made. Try again when the server answers.`)
      return
    }
    const link = document.createElement('a')
    link.href = URL.createObjectURL(await answered.blob())
    link.download = `${entry.kind}.${kind}`
    link.click()
    URL.revokeObjectURL(link.href)
  }
  return (
    <div className="flex flex-wrap gap-2 pt-2">
      <Button onClick={() => fetchFile('svg')}>SVG</Button>
      <Button onClick={() => fetchFile('pdf')}>{t`PDF, with the moves`}</Button>
      {problem && <p role="alert">{problem}</p>}
    </div>
  )
}
