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
        ? [{ label: 'run time', x: out.run_time.map((p) => p.load_w), y: out.run_time.map((p) => p.run_h) }]
        : [],
    [out],
  )
  return (
    <section aria-label="Backup power" className="grid gap-4 border-y-2 border-ink py-3">
      <div className="grid gap-3">
        {entry.earlier && (
          <div className="border-2 border-line bg-field p-3">
            <p>
              At this site on {day(entry.earlier.said_at)}:{' '}
              <b className="figure">
                {figure(entry.earlier.supply.source.continuous_kw)} kW{' '}
                {entry.earlier.supply.source.kind.replaceAll('_', ' ')}
              </b>
              , {entry.earlier.supply.transfer.replaceAll('_', ' ')}.
            </p>
            <Button className="mt-2" onClick={() => entry.earlier && entry.take(entry.earlier.supply)}>
              Still so
            </Button>
          </div>
        )}
        <ProblemNote problem={entry.problem} />
        <Choice
          label="Source"
          value={d.kind}
          onChange={(v) => change({ kind: v })}
          options={[
            { value: 'portable_synchronous', label: 'Portable generator' },
            { value: 'portable_inverter', label: 'Portable inverter' },
            { value: 'standby', label: 'Standby' },
            { value: 'battery_inverter', label: 'Battery inverter' },
          ]}
        />
        <div className="grid grid-cols-2 gap-3 sm:grid-cols-4">
          <FigureField label="Continuous" unit="kW" value={d.kw} onChange={(v) => change({ kw: v })} />
          <FigureField label="Short-time" unit="kW" value={d.surge} onChange={(v) => change({ surge: v })} />
          <FigureField label="Volts" unit="V" value={d.volts} onChange={(v) => change({ volts: v })} />
          <FigureField
            label={battery ? 'Battery' : 'Tank'}
            unit={battery ? 'kWh' : 'gal'}
            value={d.tank}
            onChange={(v) => change({ tank: v })}
          />
          <FigureField
            label="Elevation"
            unit="ft"
            value={d.altitude}
            onChange={(v) => change({ altitude: v })}
          />
          <FigureField label="Air" unit="°F" value={d.ambient} onChange={(v) => change({ ambient: v })} />
          {!battery && (
            <>
              <FigureField
                label="Burn at half"
                unit="gal/h"
                value={d.burnHalf}
                onChange={(v) => change({ burnHalf: v })}
              />
              <FigureField
                label="Burn at full"
                unit="gal/h"
                value={d.burnFull}
                onChange={(v) => change({ burnFull: v })}
              />
            </>
          )}
          <Pick
            label="Cord"
            value={d.cord}
            onChange={(v) => change({ cord: v })}
            options={[{ value: '', label: 'not entered' }, ...SIZES]}
          />
          <FigureField
            label="Cord length"
            unit="ft"
            value={d.cordFt}
            onChange={(v) => change({ cordFt: v })}
          />
          <FigureField label="Inlet" unit="A" value={d.inlet} onChange={(v) => change({ inlet: v })} />
          <FigureField label="Breaker" unit="A" value={d.breaker} onChange={(v) => change({ breaker: v })} />
        </div>
        <details>
          <summary className="min-h-11 cursor-pointer py-2 font-bold">Contactor drop-out</summary>
          <div className="grid grid-cols-2 gap-3 sm:grid-cols-3">
            <FigureField
              label="Coil drop-out volts, if measured"
              unit="V"
              value={d.coil}
              onChange={(v) => change({ coil: v })}
            />
            <FigureField
              label="Electronic: cuts out below"
              unit="V"
              value={d.brownV}
              onChange={(v) => change({ brownV: v })}
            />
            <FigureField
              label="Electronic: after"
              unit="s"
              value={d.brownS}
              onChange={(v) => change({ brownS: v })}
            />
          </div>
        </details>
        <div className="flex flex-wrap gap-4">
          {!battery && (
            <Choice
              label="Fuel"
              value={d.fuel}
              onChange={(v) => change({ fuel: v })}
              options={[
                { value: 'gasoline', label: 'Gasoline' },
                { value: 'diesel', label: 'Diesel' },
                { value: 'propane', label: 'Propane' },
                { value: 'natural_gas', label: 'Natural gas' },
              ]}
            />
          )}
          <Choice
            label="Transfer"
            value={d.transfer}
            onChange={(v) => change({ transfer: v })}
            options={[
              { value: 'interlock', label: 'Interlock' },
              { value: 'transfer_switch', label: 'Transfer switch' },
              { value: 'none', label: 'None' },
            ]}
          />
        </div>
        <fieldset>
          <legend className="text-sm font-bold text-soft">Other loads on</legend>
          {d.others.map((o) => {
            const put = (part: Partial<Other>) =>
              change({ others: d.others.map((x) => (x.id === o.id ? { ...x, ...part } : x)) })
            return (
              <div key={o.id} className="grid grid-cols-[auto_1fr_7rem] items-end gap-2 pb-1">
                <Tick checked={o.on} onChange={(on) => put({ on })}>
                  <span className="sr-only">{o.name} on</span>
                </Tick>
                <TextField label="Load" value={o.name} onChange={(name) => put({ name })} />
                <FigureField label="Watts" unit="W" value={o.watts} onChange={(watts) => put({ watts })} />
              </div>
            )
          })}
          <Button
            onClick={() =>
              change({
                others: [...d.others, { id: nextId(d.others), name: 'Another load', watts: '500', on: true }],
              })
            }
          >
            Add a load
          </Button>
        </fieldset>
      </div>
      <ProblemNote problem={problem} />
      {!entry.supply && (
        <p className="border-l-[7px] border-line bg-field p-3">
          ? Enter the source, its kW and the transfer method to compute the starts.
        </p>
      )}
      {out && !problem && (
        <>
          <p className="text-lg">
            Here it gives <b className="figure">{figure(out.derated_kw, 3)} kW</b>; running takes{' '}
            <span className="figure">{figure(out.running_w / 1000, 3)} kW</span> and what else is on{' '}
            <span className="figure">{figure(out.others_w / 1000, 3)} kW</span>
            {out.run_hours !== null && (
              <>
                ; the {battery ? 'battery' : 'tank'} lasts{' '}
                <b className="figure">{figure(out.run_hours, 3)} h</b>
              </>
            )}
            .
          </p>
          <ul aria-label="Aids on this source">
            {out.results.map((r) => (
              <li key={r.label} className="border-b border-faint py-2">
                <p className="flex flex-wrap items-baseline gap-x-3">
                  <b>{r.label}</b>
                  <VerdictMark
                    verdict={
                      ({ starts: 'pass', marginal: 'watch', fails: 'fail' } as const)[r.verdict] ?? 'unknown'
                    }
                    word={{ starts: 'Starts', marginal: 'Marginal', fails: 'Will not' }[r.verdict]}
                  />
                </p>
                <p className="figure flex flex-wrap gap-x-5 text-sm">
                  <span>start {figure(r.start_kva, 3)} kVA</span>
                  <span>dip {figure(r.dip_pct, 2)} %</span>
                  <span>{r.contactor_holds ? 'contactor holds' : 'contactor drops out'}</span>
                  <span>margin {figure(r.margin_pct, 2)} %</span>
                  <span>up to {figure(r.other_load_max_w)} W of other load</span>
                </p>
                <p className="text-soft">{r.why}</p>
              </li>
            ))}
          </ul>
          <div className="grid gap-4 xl:grid-cols-2">
            {loads.length > 0 && (
              <Lines
                title="What the source carries, first two seconds"
                curves={loads}
                xLabel="seconds"
                yLabel="load"
                unit="kVA"
              />
            )}
            {runs.length > 0 && (
              <Lines title="Run time against load" curves={runs} xLabel="watts" yLabel="run time" unit="h" />
            )}
          </div>
          <Findings findings={out.findings} />
        </>
      )}
    </section>
  )
}
