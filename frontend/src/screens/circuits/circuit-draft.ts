import { t } from '@lingui/core/macro'
import type { Plate, Schemas } from '../../api/client'
import { parseCount, parseFigure } from '../../quantities/figure'
import { typed } from '../../quantities/measures'
import { FEEDS } from './wiring-words'

export type LoadRow = { id: number; a: string; b: string; c: string }
export type LugRow = { id: number; at: string; low: string; high: string; metals: string; marked: string }
/** What was said of a circuit, as it was typed; what is blank no one said. */
export type CircuitDraft = {
  volts: string
  phase: string
  compressors: LoadRow[]
  motors: LoadRow[]
  other: string
  otherKind: string
  mca: string
  mocp: string
  allowed: string
  equipment: string
  pairVolts: string
  pairMca: string
  pairMocp: string
  pairCompressors: LoadRow[]
  pairMotors: LoadRow[]
  shortCircuit: string
  fault: string
  edition: string
  material: string
  insulation: string
  termination: string
  ambient: string
  conductors: string
  outdoors: string
  wet: string
  dwelling: string
  roof: string
  length: string
  raceway: string
  limit: string
  startLimit: string
  school: string
  smallest: string
  groundBy: string
  groundMetal: string
  provisional: string
  lugs: LugRow[]
  feeds: string
  single: string
  device: string
  kind: string
  poles: string
  groundFault: string
  size: string
  egc: string
  disconnect: string
  hp: string
  fused: string
  fuse: string
}

export const loadRow = (id: number, a = '', b = '', c = ''): LoadRow => ({ id, a, b, c })
export const lugRow = (id: number): LugRow => ({
  id,
  at: '',
  low: '',
  high: '',
  metals: '',
  marked: '',
})

export const NOTHING_SAID: CircuitDraft = {
  volts: '',
  phase: '',
  compressors: [loadRow(1)],
  motors: [loadRow(1)],
  other: '',
  otherKind: '',
  mca: '',
  mocp: '',
  allowed: '',
  equipment: '',
  pairVolts: '',
  pairMca: '',
  pairMocp: '',
  pairCompressors: [loadRow(1)],
  pairMotors: [loadRow(1)],
  shortCircuit: '',
  fault: '',
  edition: '',
  material: '',
  insulation: '',
  termination: '',
  ambient: '',
  conductors: '',
  outdoors: '',
  wet: '',
  dwelling: '',
  roof: '',
  length: '',
  raceway: '',
  limit: '',
  startLimit: '',
  school: '',
  smallest: '',
  groundBy: '',
  groundMetal: '',
  provisional: '',
  lugs: [],
  feeds: '',
  single: '',
  device: '',
  kind: '',
  poles: '',
  groundFault: '',
  size: '',
  egc: '',
  disconnect: '',
  hp: '',
  fused: '',
  fuse: '',
}

/** A made-up three-ton split, for looking around; offered, never filled in by itself. */
export const EXAMPLE: Partial<CircuitDraft> = {
  feeds: 'compressor',
  volts: '230',
  phase: '1',
  compressors: [loadRow(1, '17.9', '112')],
  motors: [loadRow(1, '1.4')],
  mca: '23.8',
  mocp: '40',
  allowed: 'fuse_or_breaker',
  outdoors: 'yes',
  ambient: typed(104, '°F'),
  material: 'copper',
  insulation: 'THWN-2',
  length: typed(60, 'ft'),
  raceway: 'PVC-40',
  dwelling: 'yes',
}
export const EXAMPLE_THERE: Partial<CircuitDraft> = {
  device: '60',
  kind: 'breaker',
  poles: '2',
  size: '10',
  egc: '10',
  disconnect: '60',
  hp: '10',
  fused: 'no',
}

type Entry = Record<string, unknown>
const flag = (said: string) => (said === '' ? null : said === 'yes')

/** Leave out what was not said: the server says what it took instead. */
function said(entry: Entry): Entry {
  return Object.fromEntries(
    Object.entries(entry).filter(([, v]) => v !== null && v !== '' && !(Array.isArray(v) && v.length === 0)),
  )
}

function rows(list: LoadRow[], names: [string, string, string?]): Entry[] {
  return list
    .map((r) =>
      said({
        [names[0]]: parseFigure(r.a, 'A'),
        [names[1]]: parseFigure(r.b, 'A'),
        ...(names[2] && { [names[2]]: parseFigure(r.c, 'A') }),
      }),
    )
    .filter((r) => Object.keys(r).length > 0)
}

/** The plate's loads as a circuit takes them. */
export function loadsEntry(d: CircuitDraft): Entry {
  const other = parseFigure(d.other, 'A')
  const pairVolts = parseFigure(d.pairVolts, 'V')
  return said({
    feeds: FEEDS.some((f) => f.value === d.feeds) ? d.feeds : null,
    volts: parseFigure(d.volts, 'V'),
    phase: d.phase === '' ? null : Number(d.phase),
    compressors: rows(d.compressors, ['rla_a', 'lra_a', 'bcsc_a']),
    motors: rows(d.motors, ['fla_a', 'lra_a']),
    other_a: other === null ? null : d.otherKind ? { amps: other, kind: d.otherKind } : other,
    mca_a: parseFigure(d.mca, 'A'),
    mocp_a: parseFigure(d.mocp, 'A'),
    overcurrent_allowed: d.allowed,
    paired:
      pairVolts === null
        ? null
        : said({
            volts: pairVolts,
            mca_a: parseFigure(d.pairMca, 'A'),
            mocp_a: parseFigure(d.pairMocp, 'A'),
            compressors: rows(d.pairCompressors, ['rla_a', 'lra_a', 'bcsc_a']),
            motors: rows(d.pairMotors, ['fla_a', 'lra_a']),
          }),
  })
}

/** How it is wired, and where. */
export function wiringEntry(d: CircuitDraft): Entry {
  return said({
    edition: d.edition,
    material: d.material,
    insulation: d.insulation,
    termination_c: d.termination === '' ? null : Number(d.termination),
    ambient_f: parseFigure(d.ambient, '°F'),
    current_carrying_conductors: parseCount(d.conductors),
    outdoors: flag(d.outdoors),
    wet: flag(d.wet),
    dwelling: flag(d.dwelling),
    equipment: d.equipment,
    rooftop_clearance_in: parseFigure(d.roof, 'in'),
    length_ft: parseFigure(d.length, 'ft'),
    raceway: d.raceway,
    drop_limit_pct: parseFigure(d.limit, '%'),
    start_limit_pct: parseFigure(d.startLimit, '%'),
    school: d.school,
    smallest_device: flag(d.smallest),
    ground_by: d.groundBy,
    egc_material: d.groundMetal,
    provisional: flag(d.provisional),
    available_fault_a: parseFigure(d.fault, 'A'),
    short_circuit_rating_a: parseFigure(d.shortCircuit, 'A'),
    lugs: d.lugs
      .filter((l) => l.at.trim() || l.low || l.high || l.metals || l.marked)
      .map((l, i) =>
        said({
          at: l.at.trim() || t`Lug ${i + 1}`,
          low_awg: l.low,
          high_awg: l.high,
          metals: l.metals === 'both' ? ['copper', 'aluminum'] : l.metals ? [l.metals] : [],
          marked_c: l.marked === '' ? null : Number(l.marked),
        }),
      ),
  })
}

/** What is there, as the audit takes it; nothing that was not looked at. */
export function thereEntry(d: CircuitDraft): Schemas['Installed'] {
  return said({
    overcurrent_a: parseFigure(d.device, 'A'),
    overcurrent_kind: d.kind,
    poles: parseCount(d.poles),
    ground_fault: flag(d.groundFault),
    conductor_awg: d.size,
    egc_awg: d.egc,
    disconnect_a: parseFigure(d.disconnect, 'A'),
    disconnect_hp: parseFigure(d.hp, 'hp'),
    disconnect_fused: flag(d.fused),
    fuse_a: d.fused === 'yes' ? parseFigure(d.fuse, 'A') : null,
  }) as Schemas['Installed']
}

/** A look on record as it was typed, to begin the next one from. */
export function draftOfLook(look: Schemas['CircuitLook'] | null | undefined): CircuitDraft {
  if (!look) return NOTHING_SAID
  const w = look.wiring as Record<string, unknown>
  const there = look.installed
  const text = (v: unknown) => (v === null || v === undefined ? '' : String(v))
  const yesNo = (v: unknown) => (v === true ? 'yes' : v === false ? 'no' : '')
  const lugs = (w.lugs ?? []) as Schemas['Lug'][]
  return {
    ...NOTHING_SAID,
    edition: text(w.edition),
    material: text(w.material ?? there.material),
    insulation: text(w.insulation ?? there.insulation),
    termination: text(w.termination_c),
    ambient: typed(w.ambient_f as number | null, '°F'),
    conductors: text(w.current_carrying_conductors),
    outdoors: yesNo(w.outdoors),
    wet: yesNo(w.wet),
    dwelling: yesNo(w.dwelling),
    equipment: text(w.equipment),
    roof: text(w.rooftop_clearance_in),
    length: typed(w.length_ft as number | null, 'ft'),
    raceway: text(w.raceway),
    limit: text(w.drop_limit_pct),
    startLimit: text(w.start_limit_pct),
    school: text(w.school),
    smallest: yesNo(w.smallest_device),
    groundBy: text(w.ground_by),
    groundMetal: text(w.egc_material ?? there.egc_material),
    fault: text(w.available_fault_a),
    shortCircuit: text(w.short_circuit_rating_a),
    lugs: lugs.map((l, i) => ({
      id: i + 1,
      at: l.at,
      low: text(l.low_awg),
      high: text(l.high_awg),
      metals: (l.metals ?? []).length > 1 ? 'both' : text(l.metals?.[0]),
      marked: text(l.marked_c),
    })),
    device: text(there.overcurrent_a),
    kind: text(there.overcurrent_kind),
    poles: text(there.poles),
    groundFault: yesNo(there.ground_fault),
    size: text(there.conductor_awg),
    egc: text(there.egc_awg),
    disconnect: text(there.disconnect_a),
    hp: text(there.disconnect_hp),
    fused: yesNo(there.disconnect_fused),
    fuse: text(there.fuse_a),
  }
}

/** The loads of a plate on record, as a circuit takes them. */
export function plateEntry(plate: Plate): Entry {
  return said(plate as unknown as Entry)
}

/** What still keeps a circuit from being computed, in words; null when it can be. */
export function lacking(entry: Entry, heat = false, asked = false): string | null {
  const missing = [
    ...(asked && entry.feeds === undefined ? [t`what it feeds`] : []),
    ...(entry.volts === undefined ? [t`the supply’s volts`] : []),
    ...(entry.phase === undefined ? [t`the phase`] : []),
  ]
  const loads = Array.isArray(entry.compressors) && entry.compressors.length > 0
  if (heat) {
    if (entry.mca_a === undefined && entry.other_a === undefined) missing.push(t`the heater’s amps`)
  } else if (
    !loads &&
    !(entry.feeds === 'fan_coil' && entry.motors !== undefined) &&
    (entry.mca_a === undefined || entry.mocp_a === undefined) &&
    entry.paired === undefined
  )
    missing.push(
      entry.feeds === 'fan_coil'
        ? t`the blower’s FLA, or MCA and MOCP`
        : t`MCA and MOCP, or the compressor’s RLA`,
    )
  return missing.length ? t`Enter ${missing.join(', ')}.` : null
}
