import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { at, type Call, problemOf, type Schemas } from '../../../api/client'
import { Button } from '../../../parts/button'
import { Choice } from '../../../parts/choice'
import { TextField } from '../../../parts/field'
import { Pick } from '../../../parts/pick'
import { ProblemNote } from '../../../parts/problem'
import { WhileOpen } from '../../../parts/read-only'
import { VerdictMark } from '../../../parts/verdict'
import { calendarDay, clock } from '../../../quantities/format'
import { Cost } from './cost'
import { Given, OptionsButton } from './price'
import {
  type HandOver as Handed,
  useConfirm,
  useHandOver,
  useHandTo,
  useKeepFollowUps,
  useTasksOfCall,
} from './use-hand-over'

/** Rung 10: what it was, what was done and left, what it costs, to whom it was handed. */
export function HandOver({ call }: { call: Call }) {
  const page = useHandOver(call.id)
  if (page.error && !page.data)
    return <ProblemNote problem={problemOf(page.error)} onRetry={() => page.refetch()} />
  if (!page.data) return <p>{t`Opening…`}</p>
  return (
    <div className="grid max-w-4xl gap-6">
      <InTheEnd call={call} page={page.data} />
      <Said page={page.data} />
      <FollowUps call={call} page={page.data} />
      <Agreed call={call} page={page.data} />
      <Cost call={call} page={page.data} />
      <HandTo call={call} page={page.data} />
      <Papers call={call} />
    </div>
  )
}

function InTheEnd({ call, page }: { call: Call; page: Handed }) {
  const confirm = useConfirm(call.id)
  const [other, setOther] = useState('')
  const [changing, setChanging] = useState(false)
  const taken = page.choices.find((c) => c.taken)
  const sound = page.choices.find((c) => c.hypothesis === 'healthy')
  const say = (hypothesis: string) =>
    confirm.mutate(
      { hypothesis: hypothesis as Schemas['Confirmed']['hypothesis'], note: '' },
      { onSuccess: () => setChanging(false) },
    )
  const quick = [taken, sound].filter((c) => c !== undefined)
  return (
    <section aria-label={t`Final cause`}>
      <h3 className="border-b-2 border-ink font-bold">{t`What was the final cause?`}</h3>
      {page.confirmed && (
        <p className="flex flex-wrap items-baseline gap-x-3 py-2">
          <VerdictMark verdict="pass" word={page.hand_over.cause_title} />
          <span className="text-sm text-soft">{t`confirmed by ${page.confirmed.person}, ${clock(page.confirmed.at)}; it counts for this shop's next calls`}</span>
          {!changing && (
            <Button
              kind="quiet"
              className="px-2 text-sm"
              onClick={() => setChanging(true)}
            >{t`It was something else`}</Button>
          )}
        </p>
      )}
      {/* A closed call may still be told what it was: no one measures anything by it. */}
      {(!page.confirmed || changing) && (
        <div className="grid gap-3 pt-2">
          <div className="flex flex-wrap gap-2">
            {quick.map((c) => (
              <Button
                key={c.hypothesis}
                kind={c.taken ? 'primary' : 'plain'}
                busy={confirm.isPending}
                onClick={() => say(c.hypothesis)}
              >
                {c.title}
              </Button>
            ))}
          </div>
          <Pick
            label={t`Something else`}
            value={other}
            onChange={(v) => {
              setOther(v)
              if (v) say(v)
            }}
            options={[
              { value: '', label: t`choose` },
              ...page.choices.map((c) => ({ value: c.hypothesis, label: c.title })),
            ]}
          />
          <ProblemNote problem={problemOf(confirm.error)} />
        </div>
      )}
    </section>
  )
}

const NOBODY = t`Nobody was there`
const PARTS = [
  ['found', t`Found`],
  ['done', t`Done`],
  ['left', t`Left undone`],
  ['may_fail', t`May fail next`],
  ['watch', t`Watch for`],
] as const

const EMPTY: Record<string, string> = {
  done: t`Nothing was changed on the unit.`,
  left: t`Nothing.`,
  may_fail: t`Nothing shows in the visit history.`,
}

function Said({ page }: { page: Handed }) {
  const [voice, setVoice] = useState<'plain' | 'technical'>('plain')
  const { hand_over: h } = page
  return (
    <section aria-label={t`Handed over`}>
      <div className="flex flex-wrap items-end justify-between gap-2 border-b-2 border-ink">
        <h3 className="font-bold">{t`The visit in words`}</h3>
        <Choice
          label={t`Whose words`}
          hideLabel
          value={voice}
          onChange={(v) => setVoice(v as 'plain')}
          options={[
            { value: 'plain', label: t`Customer's` },
            { value: 'technical', label: t`Technician's` },
          ]}
        />
      </div>
      <p className="py-2 font-bold">
        <VerdictMark verdict={h.state.verdict} word={h.state[voice]} />
      </p>
      <dl className="grid gap-x-4 gap-y-2 sm:grid-cols-[8.5rem_1fr]">
        {PARTS.map(([name, title]) => (
          <div key={name} className="contents">
            <dt className="font-bold text-soft">{title}</dt>
            <dd className="grid gap-1.5">
              {h[name].length === 0 && <p className="text-soft">{EMPTY[name] ?? ''}</p>}
              {h[name].map((s) => (
                <p key={s.code + s.plain} className="break-words">
                  {s[voice]}
                </p>
              ))}
              {name === 'left' && h.left.length > 0 && h.left_why && (
                <p className="text-soft">{t`Reason: ${h.left_why}`}</p>
              )}
            </dd>
          </div>
        ))}
      </dl>
    </section>
  )
}

function FollowUps({ call, page }: { call: Call; page: Handed }) {
  const tasks = useTasksOfCall(call.id)
  const keep = useKeepFollowUps(call.id)
  const back = page.hand_over.come_back
  const kept = new Set(tasks.data?.map((task) => task.code))
  const open = back.filter((f) => !kept.has(f.code))
  return (
    <section aria-label={t`When to come back`}>
      <h3 className="border-b-2 border-ink font-bold">{t`When to come back`}</h3>
      {back.length === 0 && <p className="py-2 text-soft">{t`No follow-up needed.`}</p>}
      <ul>
        {back.map((f) => (
          <li key={f.code} className="grid gap-x-4 border-b border-faint py-2 sm:grid-cols-[8.5rem_1fr_auto]">
            <span className="figure">{calendarDay(f.due_on)}</span>
            <span>
              <b className="break-words">{f.title}</b>
              <span className="block text-sm text-soft">{f.why}</span>
            </span>
            {kept.has(f.code) && <VerdictMark verdict="pass" word={t`Task`} />}
          </li>
        ))}
      </ul>
      {open.some((f) => f.kind !== 'suggestion') && !page.handed && (
        <p className="pt-2 text-sm text-soft">{t`Promised visits become tasks when you hand over.`}</p>
      )}
      {open.length > 0 && tasks.data && (
        <WhileOpen>
          <Button className="mt-2" busy={keep.isPending} onClick={() => keep.mutate(open.map((f) => f.code))}>
            {open.length === 1 ? t`Keep it as a task` : t`Keep all ${open.length} as tasks`}
          </Button>
        </WhileOpen>
      )}
      <ProblemNote problem={problemOf(keep.error)} />
    </section>
  )
}

function Agreed({ call, page }: { call: Call; page: Handed }) {
  return (
    <section aria-label={t`Agreed`}>
      <h3 className="border-b-2 border-ink font-bold">{t`What was agreed`}</h3>
      {page.agreed.length === 0 && <p className="py-2 text-soft">{t`Nothing was agreed on this call.`}</p>}
      <Given agreed={page.agreed} />
      <WhileOpen>
        <div className="pt-2">
          <OptionsButton call={call} />
        </div>
      </WhileOpen>
    </section>
  )
}

function HandTo({ call, page }: { call: Call; page: Handed }) {
  const hand = useHandTo(call.id)
  const [to, setTo] = useState('')
  const [why, setWhy] = useState('')
  const [running, setRunning] = useState('')
  const [again, setAgain] = useState(false)
  const left = page.hand_over.left.length > 0
  const known = call.spoken_to.split(/[,;(]/)[0]?.trim() ?? ''
  return (
    <section aria-label={t`Handed over to`}>
      <h3 className="border-b-2 border-ink font-bold">{t`Hand over`}</h3>
      {page.handed && (
        <p className="flex flex-wrap items-baseline gap-x-3 py-2">
          <VerdictMark verdict="pass" word={t`Handed over to ${page.handed.handed.to}`} />
          <span className="text-sm text-soft">
            {page.handed.person}, {clock(page.handed.at)}
          </span>
          <WhileOpen>
            {!again && (
              <Button kind="quiet" className="px-2 text-sm" onClick={() => setAgain(true)}>{t`Again`}</Button>
            )}
          </WhileOpen>
        </p>
      )}
      <WhileOpen>
        {(!page.handed || again) && (
          <div className="grid gap-3 pt-2" data-run>
            <TextField label={t`To whom`} value={to} onChange={setTo} />
            <div className="flex flex-wrap gap-2">
              {[known, NOBODY].filter(Boolean).map((name) => (
                <Button key={name} className="px-3 text-sm" onClick={() => setTo(name)}>
                  {name}
                </Button>
              ))}
            </div>
            {left && <TextField label={t`Why what is left is left`} value={why} onChange={setWhy} />}
            <Choice
              label={t`The unit is left`}
              value={running}
              onChange={setRunning}
              options={[
                { value: 'yes', label: t`Running` },
                { value: 'no', label: t`Not running` },
              ]}
            />
            <ProblemNote problem={problemOf(hand.error)} />
            <div>
              <Button
                kind="primary"
                busy={hand.isPending}
                disabled={!to.trim()}
                onClick={() =>
                  hand.mutate(
                    {
                      to: to.trim(),
                      how: to === NOBODY ? t`left on paper` : t`shown on the screen`,
                      left_why: why.trim(),
                      running: running === '' ? null : running === 'yes',
                    },
                    { onSuccess: () => setAgain(false) },
                  )
                }
              >{t`Handed over`}</Button>
            </div>
          </div>
        )}
      </WhileOpen>
    </section>
  )
}

const PAPERS = [
  ['customer', t`For the customer`],
  ['technical', t`Service record`],
  ['statement', t`Statement`],
  ['estimate', t`Estimate`],
] as const

function Papers({ call }: { call: Call }) {
  const link = 'inline-flex min-h-11 items-center underline underline-offset-4'
  return (
    <section aria-label={t`Papers`}>
      <h3 className="border-b-2 border-ink font-bold">{t`Papers`}</h3>
      <ul>
        {PAPERS.map(([name, title]) => (
          <li key={name} className="flex flex-wrap items-center gap-x-5 border-b border-faint">
            <span className="min-w-36 font-bold">{title}</span>
            <a
              className={link}
              target="_blank"
              rel="noreferrer"
              href={at(`/api/calls/${call.id}/papers/${name}.html`)}
            >{t`Read or print`}</a>
            <a
              className={link}
              target="_blank"
              rel="noreferrer"
              href={at(`/api/calls/${call.id}/papers/${name}.pdf`)}
            >
              PDF
            </a>
          </li>
        ))}
      </ul>
    </section>
  )
}
