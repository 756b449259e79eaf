import { t } from '@lingui/core/macro'
import { useEffect, useMemo, useRef } from 'react'
import { problemOf, type Schemas } from '../../../api/client'
import { useDraft } from '../../../parts/draft'
import { useReadOnly } from '../../../parts/read-only'
import { parseFigure } from '../../../quantities/figure'
import { figure } from '../../../quantities/format'
import { typed } from '../../../quantities/measures'
import { usePause } from '../plate'
import { useSaySource, useWork } from './use-work'

export type Other = { id: number; name: string; watts: string; on: boolean }
export type Draft = {
  kind: string
  kw: string
  surge: string
  volts: string
  fuel: string
  altitude: string
  ambient: string
  tank: string
  burnHalf: string
  burnFull: string
  cord: string
  cordFt: string
  inlet: string
  breaker: string
  coil: string
  brownV: string
  brownS: string
  transfer: string
  others: Other[]
}

/** Nothing is taken as said: what is usual stands there unticked. */
const START: Draft = {
  kind: '',
  kw: '',
  surge: '',
  volts: '240',
  fuel: 'gasoline',
  altitude: '',
  ambient: '',
  tank: '',
  burnHalf: '',
  burnFull: '',
  cord: '',
  cordFt: '',
  inlet: '',
  breaker: '',
  coil: '',
  brownV: '',
  brownS: '',
  transfer: '',
  others: [
    { id: 1, name: t`Refrigerator`, watts: '250', on: false },
    { id: 2, name: t`Lights`, watts: '200', on: false },
    { id: 3, name: t`Well pump`, watts: '1100', on: false },
  ],
}

/** The source for backup power as it is entered on a call, and as the server takes it once it is whole. */
export function useBackup(callId: number) {
  const said = useWork(callId).data?.source ?? null
  const start = useMemo(() => (said?.here ? draftOf(said.supply) : START), [said])
  const [d, change] = useDraft<Draft>(`backup.${callId}`, start)
  const supply = useMemo(() => supplyOf(d), [d])
  const keep = useSaySource(callId)
  const closed = useReadOnly()
  const settled = usePause(JSON.stringify(supply), 900)
  const known = useRef<string | null>(null)
  if (known.current === null && said?.here) known.current = JSON.stringify(supplyOf(draftOf(said.supply)))
  // Said whole and left alone for a moment: kept with the call, and there for the next one at this site.
  // biome-ignore lint/correctness/useExhaustiveDependencies: what was said settles once
  useEffect(() => {
    if (settled === 'null' || settled === known.current || closed) return
    known.current = settled
    keep.mutate(JSON.parse(settled) as Schemas['BackupSupply'])
  }, [settled, closed])
  return {
    d,
    change,
    supply,
    /** What was said at this site on an earlier call: offered, never taken over. */
    earlier: said && !said.here && d.kind === '' ? said : null,
    take: (from: Schemas['BackupSupply']) => change(draftOf(from)),
    problem: problemOf(keep.error),
  }
}

const text = (value: number | null | undefined) => (typeof value === 'number' ? figure(value, 8) : '')

/** What is on record as it would be typed. */
function draftOf(supply: Schemas['BackupSupply']): Draft {
  const { source, path, electronic } = supply
  return {
    kind: source.kind,
    kw: text(source.continuous_kw),
    surge: text(source.surge_kw),
    volts: text(source.volts ?? 240),
    fuel: source.fuel ?? 'gasoline',
    altitude: typed(source.altitude_ft || null, 'ft'),
    ambient: source.ambient_f === 85 ? '' : typed(source.ambient_f, '°F'),
    tank: text(source.tank),
    burnHalf: text(source.burn?.find((b) => b.load_pct === 50)?.per_hour),
    burnFull: text(source.burn?.find((b) => b.load_pct === 100)?.per_hour),
    cord: path?.cord?.size ?? '',
    cordFt: typed(path?.cord?.length_ft, 'ft'),
    inlet: text(path?.inlet_a),
    breaker: text(path?.breaker_a),
    coil: text(supply.coil_dropout_v),
    brownV: text(electronic?.brownout_v),
    brownS: text(electronic?.brownout_s),
    transfer: supply.transfer,
    others: (supply.others ?? []).map((o, i) => ({
      id: i + 1,
      name: o.name,
      watts: text(o.watts),
      on: o.on ?? true,
    })),
  }
}

export type BackupEntry = ReturnType<typeof useBackup>

function supplyOf(d: Draft): Schemas['BackupSupply'] | null {
  const n = (text: string, unit = '') => parseFigure(text, unit)
  const battery = d.kind === 'battery_inverter'
  const kw = n(d.kw, 'kW')
  if (kw === null || !d.transfer || !d.kind) return null
  const half = n(d.burnHalf)
  const full = n(d.burnFull)
  const place = { altitude_ft: n(d.altitude, 'ft'), ambient_f: n(d.ambient, '°F') }
  return {
    source: {
      kind: d.kind,
      continuous_kw: kw,
      surge_kw: n(d.surge, 'kW'),
      volts: n(d.volts, 'V') ?? undefined,
      fuel: battery ? 'battery' : d.fuel === 'battery' ? 'gasoline' : d.fuel,
      ...(place.altitude_ft === null ? {} : { altitude_ft: place.altitude_ft }),
      ...(place.ambient_f === null ? {} : { ambient_f: place.ambient_f }),
      tank: n(d.tank),
      burn:
        battery || half === null || full === null
          ? null
          : [
              { load_pct: 50, per_hour: half },
              { load_pct: 100, per_hour: full },
            ],
    },
    others: d.others.map((o) => ({ name: o.name || 'load', watts: n(o.watts, 'W') ?? 0, on: o.on })),
    transfer: d.transfer,
    coil_dropout_v: n(d.coil, 'V'),
    electronic:
      n(d.brownV, 'V') === null ? null : { brownout_v: n(d.brownV, 'V'), brownout_s: n(d.brownS, 's') ?? 0 },
    path: {
      cord: d.cord && n(d.cordFt, 'ft') !== null ? { size: d.cord, length_ft: n(d.cordFt, 'ft') } : null,
      inlet_a: n(d.inlet, 'A'),
      breaker_a: n(d.breaker, 'A'),
    },
  } as Schemas['BackupSupply']
}
