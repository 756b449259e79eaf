import { useMemo } from 'react'
import type { Schemas } from '../../../api/client'
import { useDraft } from '../../../parts/draft'
import { parseFigure } from '../../../quantities/format'

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
  kind: 'portable_synchronous',
  kw: '',
  surge: '',
  volts: '240',
  fuel: 'gasoline',
  altitude: '',
  ambient: '',
  tank: '',
  burnHalf: '',
  burnFull: '',
  cord: '10',
  cordFt: '',
  inlet: '',
  breaker: '',
  coil: '',
  brownV: '',
  brownS: '',
  transfer: '',
  others: [
    { id: 1, name: 'Refrigerator', watts: '250', on: false },
    { id: 2, name: 'Lights', watts: '200', on: false },
    { id: 3, name: 'Well pump', watts: '1100', on: false },
  ],
}

/** The source for backup power as it is entered on a call, and as the server takes it once it is whole. */
export function useBackup(callId: number) {
  const [d, change] = useDraft<Draft>(`backup.${callId}`, START)
  const supply = useMemo(() => supplyOf(d), [d])
  return { d, change, supply }
}

export type BackupEntry = ReturnType<typeof useBackup>

function supplyOf(d: Draft): Schemas['BackupSupply'] | null {
  const n = (text: string, unit = '') => parseFigure(text, unit)
  const battery = d.kind === 'battery_inverter'
  const kw = n(d.kw, 'kW')
  if (kw === null || !d.transfer) return null
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
      cord: d.cordFt.trim() ? { size: d.cord, length_ft: n(d.cordFt, 'ft') } : null,
      inlet_a: n(d.inlet, 'A'),
      breaker_a: n(d.breaker, 'A'),
    },
  } as Schemas['BackupSupply']
}
