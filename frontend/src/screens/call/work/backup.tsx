import { t } from '@lingui/core/macro'
import { useMemo } from 'react'
import type { Problem, Schemas } from '../../../api/client'
import { Lines } from '../../../charts/lines'
import { Button } from '../../../parts/button'
import { Choice } from '../../../parts/choice'
import { nextId } from '../../../parts/draft'
import { FigureField, TextField, Tick } from '../../../parts/field'
import { Pick } from '../../../parts/pick'
import { ProblemNote } from '../../../parts/problem'
import { Findings, VerdictMark } from '../../../parts/verdict'
import { day, figure } from '../../../quantities/format'
import { sizeWord } from '../../../quantities/size'
import type { BackupEntry, Other } from './use-backup'

const SOURCES = [
  { value: 'portable_synchronous', label: t`Portable generator` },
  { value: 'portable_inverter', label: t`Portable inverter` },
  { value: 'standby', label: t`Standby` },
  { value: 'battery_inverter', label: t`Battery inverter` },
]
const TRANSFERS = [
  { value: 'interlock', label: t`Interlock` },
  { value: 'transfer_switch', label: t`Transfer switch` },
  { value: 'none', label: t`None` },
]
const SIZES = ['14', '12', '10', '8', '6', '4', '2'].map((s) => ({ value: s, label: sizeWord(s) }))

/** Will this source start it, with what else is on, and for how long? */
export function Backup({
  entry,
  out,
  problem,
}: {
  entry: BackupEntry
  out: Schemas['BackupOut'] | null
  problem: Problem | null
}) {
  const { d, change } = entry
  const battery = d.kind === 'battery_inverter'
  const loads = useMemo(
    () =>
      out?.results.flatMap((r) =>
        r.trace ? [{ label: r.label, x: r.trace.time_s, y: r.trace.load_kva }] : [],
      ) ?? [],
    [out],
  )
  const runs = useMemo(
    () =>
      out && out.run_time.length > 1
        ? [{ label: t`run time`, x: out.run_time.map((p) => p.load_w), y: out.run_time.map((p) => p.run_h) }]
        : [],
    [out],
  )
  return (
    <section aria-label={t`Backup power`} className="grid gap-4 border-y-2 border-ink py-3">
      <div className="grid gap-3">
        {entry.earlier && (
          <div className="border-2 border-line bg-field p-3">
            <p>
              {t`At this site on ${day(entry.earlier.said_at)}:`}{' '}
              <b className="figure">
                {figure(entry.earlier.supply.source.continuous_kw)} kW{' '}
                {SOURCES.find((s) => s.value === entry.earlier?.supply.source.kind)?.label}
              </b>
              , {TRANSFERS.find((s) => s.value === entry.earlier?.supply.transfer)?.label}.
            </p>
            <Button
              className="mt-2"
              onClick={() => entry.earlier && entry.take(entry.earlier.supply)}
            >{t`Still so`}</Button>
          </div>
        )}
        <ProblemNote problem={entry.problem} />
        <Choice label={t`Source`} value={d.kind} onChange={(v) => change({ kind: v })} options={SOURCES} />
        <div className="grid grid-cols-2 gap-3 sm:grid-cols-4">
          <FigureField label={t`Continuous`} unit="kW" value={d.kw} onChange={(v) => change({ kw: v })} />
          <FigureField
            label={t`Short-time`}
            unit="kW"
            value={d.surge}
            onChange={(v) => change({ surge: v })}
          />
          <FigureField label={t`Volts`} unit="V" value={d.volts} onChange={(v) => change({ volts: v })} />
          <FigureField
            label={battery ? t`Battery` : t`Tank`}
            unit={battery ? 'kWh' : 'gal'}
            value={d.tank}
            onChange={(v) => change({ tank: v })}
          />
          <FigureField
            label={t`Elevation`}
            unit="ft"
            value={d.altitude}
            onChange={(v) => change({ altitude: v })}
          />
          <FigureField label={t`Air`} unit="°F" value={d.ambient} onChange={(v) => change({ ambient: v })} />
          {!battery && (
            <>
              <FigureField
                label={t`Burn at half`}
                unit="gal/h"
                value={d.burnHalf}
                onChange={(v) => change({ burnHalf: v })}
              />
              <FigureField
                label={t`Burn at full`}
                unit="gal/h"
                value={d.burnFull}
                onChange={(v) => change({ burnFull: v })}
              />
            </>
          )}
          <Pick
            label={t`Cord`}
            value={d.cord}
            onChange={(v) => change({ cord: v })}
            options={[{ value: '', label: t`not entered` }, ...SIZES]}
          />
          <FigureField
            label={t`Cord length`}
            unit="ft"
            value={d.cordFt}
            onChange={(v) => change({ cordFt: v })}
          />
          <FigureField label={t`Inlet`} unit="A" value={d.inlet} onChange={(v) => change({ inlet: v })} />
          <FigureField
            label={t`Breaker`}
            unit="A"
            value={d.breaker}
            onChange={(v) => change({ breaker: v })}
          />
        </div>
        <details>
          <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`Contactor drop-out`}</summary>
          <div className="grid grid-cols-2 gap-3 sm:grid-cols-3">
            <FigureField
              label={t`Coil drop-out volts, if measured`}
              unit="V"
              value={d.coil}
              onChange={(v) => change({ coil: v })}
            />
            <FigureField
              label={t`Electronic: cuts out below`}
              unit="V"
              value={d.brownV}
              onChange={(v) => change({ brownV: v })}
            />
            <FigureField
              label={t`Electronic: after`}
              unit="s"
              value={d.brownS}
              onChange={(v) => change({ brownS: v })}
            />
          </div>
        </details>
        <div className="flex flex-wrap gap-4">
          {!battery && (
            <Choice
              label={t`Fuel`}
              value={d.fuel}
              onChange={(v) => change({ fuel: v })}
              options={[
                { value: 'gasoline', label: t`Gasoline` },
                { value: 'diesel', label: t`Diesel` },
                { value: 'propane', label: t`Propane` },
                { value: 'natural_gas', label: t`Natural gas` },
              ]}
            />
          )}
          <Choice
            label={t`Transfer`}
            value={d.transfer}
            onChange={(v) => change({ transfer: v })}
            options={TRANSFERS}
          />
        </div>
        <fieldset>
          <legend className="text-sm font-bold text-soft">{t`Other loads on`}</legend>
          {d.others.map((o) => {
            const put = (part: Partial<Other>) =>
              change({ others: d.others.map((x) => (x.id === o.id ? { ...x, ...part } : x)) })
            return (
              <div key={o.id} className="grid grid-cols-[auto_1fr_7rem] items-end gap-2 pb-1">
                <Tick checked={o.on} onChange={(on) => put({ on })}>
                  <span className="sr-only">{t`${o.name} on`}</span>
                </Tick>
                <TextField label={t`Load`} value={o.name} onChange={(name) => put({ name })} />
                <FigureField label={t`Watts`} unit="W" value={o.watts} onChange={(watts) => put({ watts })} />
              </div>
            )
          })}
          <Button
            onClick={() =>
              change({
                others: [
                  ...d.others,
                  { id: nextId(d.others), name: t`Another load`, watts: '500', on: true },
                ],
              })
            }
          >{t`Add a load`}</Button>
        </fieldset>
      </div>
      <ProblemNote problem={problem} />
      {!entry.supply && (
        <p className="border-l-[7px] border-line bg-field p-3">{t`? Enter the source, its kW and the transfer method to compute the starts.`}</p>
      )}
      {out && !problem && (
        <>
          <p className="text-lg">
            {t`Here it gives`} <b className="figure">{figure(out.derated_kw, 3)} kW</b>
            {t`; running takes`} <span className="figure">{figure(out.running_w / 1000, 3)} kW</span>{' '}
            {t`and what else is on`} <span className="figure">{figure(out.others_w / 1000, 3)} kW</span>
            {out.run_hours !== null && (
              <>
                {battery ? t`; the battery lasts` : t`; the tank lasts`}{' '}
                <b className="figure">{figure(out.run_hours, 3)} h</b>
              </>
            )}
            .
          </p>
          <ul aria-label={t`Aids on this source`}>
            {out.results.map((r) => (
              <li key={r.label} className="border-b border-faint py-2">
                <p className="flex flex-wrap items-baseline gap-x-3">
                  <b>{r.label}</b>
                  <VerdictMark
                    verdict={
                      ({ starts: 'pass', marginal: 'watch', fails: 'fail' } as const)[r.verdict] ?? 'unknown'
                    }
                    word={{ starts: t`Starts`, marginal: t`Marginal`, fails: t`Will not` }[r.verdict]}
                  />
                </p>
                <p className="figure flex flex-wrap gap-x-5 text-sm">
                  <span>{t`start ${figure(r.start_kva, 3)} kVA`}</span>
                  <span>{t`dip ${figure(r.dip_pct, 2)} %`}</span>
                  <span>{r.contactor_holds ? t`contactor holds` : t`contactor drops out`}</span>
                  <span>{t`margin ${figure(r.margin_pct, 2)} %`}</span>
                  <span>{t`up to ${figure(r.other_load_max_w)} W of other load`}</span>
                </p>
                <p className="text-soft">{r.why}</p>
              </li>
            ))}
          </ul>
          <div className="grid gap-4 xl:grid-cols-2">
            {loads.length > 0 && (
              <Lines
                title={t`What the source carries, first two seconds`}
                curves={loads}
                xLabel={t`seconds`}
                yLabel={t`load`}
                unit="kVA"
              />
            )}
            {runs.length > 0 && (
              <Lines
                title={t`Run time against load`}
                curves={runs}
                xLabel={t`watts`}
                yLabel={t`run time`}
                unit="h"
              />
            )}
          </div>
          <Findings findings={out.findings} />
        </>
      )}
    </section>
  )
}
