import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, type Call, client, problemOf, type Schemas } from '../../../api/client'
import { usePrice } from '../../../api/queries'
import { Button } from '../../../parts/button'
import { Choice } from '../../../parts/choice'
import { FigureField } from '../../../parts/field'
import { FigureScope, NotComputed, useFigures } from '../../../parts/figures'
import { ProblemNote } from '../../../parts/problem'
import { FoldedFindings, VerdictMark } from '../../../parts/verdict'
import { usePerson } from '../../../parts/who'
import { parseFigure } from '../../../quantities/figure'
import { figure } from '../../../quantities/format'
import { jobOf } from '../aid'
import { PlateFirst } from '../plate-first'
import { useVan, useWork } from './use-work'
import { type Job, WiringPlan } from './wiring-plan'

/** What replaces a contactor or a capacitor, from the van, and how it is swapped. */
export function PartsRung({ call }: { call: Call }) {
  const { person } = usePerson()
  const holderId = person?.id ?? null
  const van = useVan(holderId)
  const work = useWork(call.id)
  const [from, setFrom] = useState('van')
  const [chosen, setChosen] = useState<Job | null>(null)
  const plate = call.plate?.plate
  if (!plate) return <PlateFirst callId={call.id} />
  const held =
    van.data?.lines
      .filter((l) => l.count > 0)
      .map((l) => ({ part: l.part, count: l.count, price: l.price })) ?? []
  const stock = from === 'van' ? held : null
  const open = work.data?.plans.find((p) => p.plan.work !== 'aid' && p.plan.wiring)?.plan
  const job = chosen ?? (open ? jobOf(open) : null)
  return (
    <div className="grid max-w-5xl gap-5">
      <Choice
        label={t`From`}
        value={from}
        onChange={setFrom}
        options={[
          { value: 'van', label: t`My van` },
          { value: 'any', label: t`The whole list` },
        ]}
      />
      {stock?.length === 0 && van.data && (
        <p className="border-l-[7px] border-line bg-field p-3">{t`Your van carries no parts. Restock it under Van, or look at the whole list.`}</p>
      )}
      <Contactor call={call} plate={plate} stock={stock} onPlan={setChosen} />
      {plate.phase === 1 && (plate.run_cap_uf || plate.fan_cap_uf) && (
        <Capacitors call={call} plate={plate} stock={stock} onPlan={setChosen} />
      )}
      <Others onPlan={setChosen} />
      {job && (
        <WiringPlan fresh={chosen !== null} key={job.title} call={call} job={job} holderId={holderId} />
      )}
      <p className="text-sm text-soft">{t`Dead work. One old for one new, wires moved one by one; photograph first. Local code and licensed people decide.`}</p>
    </div>
  )
}

type Section = {
  call: Call
  plate: Schemas['Plate']
  stock: Schemas['Counted'][] | null
  onPlan: (job: Job) => void
}

function Contactor({ call, plate, stock, onPlan }: Section) {
  const price = usePrice()
  const [poles, setPoles] = useState('')
  const [va, setVa] = useState('')
  const [other, setOther] = useState('')
  const [cycles, setCycles] = useState('')
  const [heater, setHeater] = useState('unknown')
  const figures = useFigures()
  const n = (text: string, unit = '') => parseFigure(text, unit)
  const entry = {
    plate,
    poles_now: poles ? Number(poles) : null,
    transformer_va: n(va, 'VA'),
    control_other_va: n(other, 'VA'),
    cycles_per_day: n(cycles),
    heater_on_open_pole: heater === 'unknown' ? null : heater === 'yes',
    stock,
  } as Schemas['ContactorIn']
  const choice = useQuery({
    queryKey: ['contactor-choice', call.id, entry],
    enabled: figures.whole && stock?.length !== 0,
    queryFn: () => answer(client.POST('/api/calc/contactor-choice', { body: entry })),
    placeholderData: (old) => old,
    retry: false,
  })
  const out = choice.data
  return (
    <FigureScope figures={figures}>
      <section aria-label={t`Contactor`} className="grid gap-3">
        <h3 className="border-b-2 border-ink text-lg font-bold">{t`Contactor`}</h3>
        {out && (
          <p className="figure">
            {t`switches ${figure(out.needs.full_load_a)} A`}
            {out.needs.locked_rotor_a !== null &&
              t`, starts ${figure(out.needs.locked_rotor_a)} A at ${out.needs.column} V`}
            {t`, coil ${figure(out.needs.coil_v)} V`}
          </p>
        )}
        <div className="flex flex-wrap items-end gap-3">
          {plate.phase === 1 && (
            <Choice
              label={t`Old contactor`}
              value={poles}
              onChange={setPoles}
              options={[
                { value: '1', label: t`One pole` },
                { value: '2', label: t`Two poles` },
              ]}
            />
          )}
          {poles === '1' && (
            <Choice
              label={t`Crankcase heater across the open pole?`}
              value={heater}
              onChange={setHeater}
              options={[
                { value: 'yes', label: t`Yes` },
                { value: 'no', label: t`No` },
                { value: 'unknown', label: t`Not checked` },
              ]}
            />
          )}
        </div>
        <div className="grid grid-cols-3 gap-3 sm:max-w-xl">
          <FigureField label={t`Transformer`} unit="VA" value={va} onChange={setVa} />
          <FigureField label={t`Other VA on this transformer`} unit="VA" value={other} onChange={setOther} />
          <FigureField label={t`Cycles a day`} value={cycles} onChange={setCycles} />
        </div>
        <NotComputed figures={figures} />
        <ProblemNote problem={problemOf(choice.error)} />
        <ol aria-label={t`Contactors, simplest first`}>
          {out?.ranked.slice(0, FIRST).map((r) => (
            <li key={r.part} className="border-b border-faint py-2">
              <p className="flex flex-wrap items-baseline gap-x-3">
                <b>{r.title}</b>
                <span className="figure text-soft">{r.part}</span>
                <VerdictMark verdict="pass" word={t`Fits`} />
                <span className="figure ml-auto">
                  {t`${r.count} on the van`}
                  {r.price !== null && ` · ${price(r.price)}`}
                  {r.life_years !== null && t` · ${figure(r.life_years, 2)} years`}
                </span>
              </p>
              {r.why.map((w) => (
                <p key={w}>▲ {w}</p>
              ))}
              {r.against.map((w) => (
                <p key={w} className="text-soft">
                  ▽ {w}
                </p>
              ))}
              {r.wiring_plan !== 'none' ? (
                <Button
                  className="mt-2"
                  onClick={() =>
                    onPlan({
                      work: 'contactor',
                      part: r.part,
                      title: `${r.title} ${r.part}`,
                      kind: r.wiring_plan as Job['kind'],
                      more: {
                        poles: (poles === '1' ? 1 : 2) as 1 | 2,
                        crankcase_heater: heater === 'yes',
                      },
                    })
                  }
                >{t`Plan the swap`}</Button>
              ) : (
                <p className="text-soft">{t`Three-phase: one for one, leg by leg, rotation proved after.`}</p>
              )}
            </li>
          ))}
        </ol>
        {out && <Refused rows={out.refused} />}
        {out && <FoldedFindings findings={out.findings} />}
      </section>
    </FigureScope>
  )
}

function Capacitors({ call, plate, stock, onPlan }: Section) {
  const price = usePrice()
  const [volts, setVolts] = useState('440')
  const [now, setNow] = useState('dual')
  const figures = useFigures()
  const rated = parseFigure(volts, 'V AC')
  const entry = {
    purpose: 'run',
    compressor_uf: plate.run_cap_uf ?? null,
    fan_uf: plate.fan_cap_uf ?? null,
    volts_ac: rated,
    now,
    stock,
  } as Schemas['CapacitorIn']
  const choice = useQuery({
    queryKey: ['capacitor-choice', call.id, entry],
    enabled: rated !== null && figures.whole && stock?.length !== 0,
    queryFn: () => answer(client.POST('/api/calc/capacitor-choice', { body: entry })),
    placeholderData: (old) => old,
    retry: false,
  })
  const out = choice.data
  return (
    <FigureScope figures={figures}>
      <section aria-label={t`Run capacitor`} className="grid gap-3">
        <h3 className="border-b-2 border-ink text-lg font-bold">{t`Run capacitor`}</h3>
        <p className="figure">
          {[
            plate.run_cap_uf && t`compressor ${figure(plate.run_cap_uf)} µF`,
            plate.fan_cap_uf && t`fan ${figure(plate.fan_cap_uf)} µF`,
          ]
            .filter(Boolean)
            .join(' · ')}
        </p>
        <div className="flex flex-wrap items-end gap-3">
          <div className="w-36">
            <FigureField
              label={t`Old capacitor rating`}
              unit="V"
              value={volts}
              onChange={setVolts}
              problem={rated === null ? t`Enter its volts.` : undefined}
            />
          </div>
          <Choice
            label={t`Installed now`}
            value={now}
            onChange={setNow}
            options={[
              { value: 'dual', label: t`A dual` },
              { value: 'two_singles', label: t`Two singles` },
            ]}
          />
        </div>
        <ProblemNote problem={problemOf(choice.error)} />
        <ol aria-label={t`Capacitors, simplest first`}>
          {out?.ways.slice(0, FIRST).map((w) => (
            <li key={w.words + w.uses.map((u) => u.part).join()} className="border-b border-faint py-2">
              <p className="flex flex-wrap items-baseline gap-x-3">
                <b>{w.words}</b>
                <span className="figure text-soft">{w.uses.map((u) => u.part).join(' + ')}</span>
                <span className="figure ml-auto">
                  {w.cans > 1
                    ? t`${w.cans} capacitors · ${figure(w.off_pct, 2)} % from nameplate`
                    : t`1 capacitor · ${figure(w.off_pct, 2)} % from nameplate`}
                  {w.price !== null && ` · ${price(w.price)}`}
                </span>
              </p>
              {w.against.map((a) => (
                <p key={a} className="text-soft">
                  ▽ {a}
                </p>
              ))}
              {w.wiring_plan && (
                <Button
                  className="mt-2"
                  onClick={() =>
                    onPlan({
                      work: 'capacitor',
                      part: w.uses.length === 1 ? (w.uses[0]?.part ?? null) : null,
                      title: t`Run capacitor: ${w.words}`.slice(0, 80),
                      kind: w.wiring_plan as Job['kind'],
                      replaces: w.replaces,
                    })
                  }
                >{t`Plan the swap`}</Button>
              )}
            </li>
          ))}
        </ol>
        {out && <Refused rows={out.refused} />}
        {out && <FoldedFindings findings={out.findings} />}
      </section>
    </FigureScope>
  )
}

/** The simplest of a kind; the rest is not worth the reading. */
const FIRST = 3

const OTHERS: { kind: Job['kind']; title: string }[] = [
  { kind: 'disconnect', title: t`Disconnect` },
  { kind: 'heat_kit', title: t`Heat kit` },
  { kind: 'multi_value_start_capacitor', title: t`Start capacitor of a kit, multi-value` },
]

function Others({ onPlan }: { onPlan: (job: Job) => void }) {
  return (
    <section aria-label={t`Other wiring`}>
      <h3 className="border-b-2 border-ink text-lg font-bold">{t`Other wiring`}</h3>
      <div className="flex flex-wrap gap-2 pt-2">
        {OTHERS.map((o) => (
          <Button
            key={o.kind}
            onClick={() => onPlan({ work: 'other', part: null, title: o.title, kind: o.kind })}
          >
            {o.title}
          </Button>
        ))}
      </div>
    </section>
  )
}

function Refused({ rows }: { rows: Schemas['PartRefused'][] }) {
  if (rows.length === 0) return null
  return (
    <details>
      <summary className="min-h-11 cursor-pointer py-2">{t`${rows.length} not offered, and why`}</summary>
      <ul>
        {rows.map((r) => (
          <li key={r.part} className="border-b border-faint py-1">
            <b>{r.title}</b> <span className="figure text-soft">{r.part}</span>: {r.why}
          </li>
        ))}
      </ul>
    </details>
  )
}
