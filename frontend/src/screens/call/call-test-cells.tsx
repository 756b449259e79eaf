import { t } from '@lingui/core/macro'
import type { ReactNode } from 'react'
import {
  ClampPlaces,
  KitOnBench,
  LegsToNeutral,
  RefrigerantPoints,
  SupplyPath,
  ThreePhase,
} from '../../drawings/clamps'
import { CapacitorTop, ContactorFace } from '../../drawings/probes'

/** One thing asked for by a test: a figure, yes or no, or one of a few words. */
export type Cell = {
  key: string
  label: string
  unit: string
  open?: boolean
  options?: { value: string; label: string }[]
  flag?: boolean
  /** A count: nothing between whole numbers. */
  whole?: boolean
}

const cell = (key: string, label: string, unit: string): Cell => ({ key, label, unit })
const ohms = (key: string, label: string): Cell => ({ key, label, unit: 'Ω', open: true })
const flag = (key: string, label: string): Cell => ({ key, label, unit: '', flag: true })

export const PLAIN: Record<string, Cell[]> = {
  'heat-strips': [
    { ...cell('stage_called', t`Stage called, up to`, ''), whole: true },
    { ...cell('elements', t`Elements that should heat`, ''), whole: true },
    cell('element_kw', t`Each element`, 'kW'),
    cell('volts', t`Volts at the strips`, 'V'),
    cell('amps', t`Amps, strips and blower`, 'A'),
    cell('blower_fla_a', t`Blower's share`, 'A'),
    cell('rise_f', t`Air out less air in`, 'Δ°F'),
    cell('rise_low_f', t`Plate: rise from`, 'Δ°F'),
    cell('rise_high_f', t`Plate: rise to`, 'Δ°F'),
    cell('altitude_ft', t`Elevation`, 'ft'),
    flag('on_backup', t`On the backup source too`),
  ],
  isolation: [
    flag('whole', t`All joined`),
    flag('compressor', t`Compressor, leads off`),
    flag('terminal_c', t`Pin C`),
    flag('terminal_s', t`Pin S`),
    flag('terminal_r', t`Pin R`),
    flag('fan', t`Fan`),
    flag('crankcase_heater', t`Crankcase heater`),
    flag('run_capacitor', t`Run capacitor`),
    flag('start_kit', t`Start kit`),
    flag('wiring', t`Wires alone`),
    cell('insulation_megohm', t`Insulation`, 'MΩ'),
    cell('test_v', t`Test volts`, 'V'),
    cell('winding_f', t`Winding`, '°F'),
  ],
  refrigerant: [
    cell('idle_suction_psig', t`Suction, before`, 'psig'),
    cell('idle_discharge_psig', t`Discharge, before`, 'psig'),
    cell('rest_min', t`Off time before`, 'min'),
    cell('suction_psig', t`Suction, running`, 'psig'),
    cell('discharge_psig', t`Discharge, running`, 'psig'),
    cell('outdoor_f', t`Air into the condenser`, '°F'),
    cell('suction_line_f', t`Suction line`, '°F'),
    cell('liquid_line_f', t`Liquid line`, '°F'),
    cell('altitude_ft', t`Elevation`, 'ft'),
    cell('superheat_f', t`Superheat`, 'Δ°F'),
    cell('subcooling_f', t`Subcooling`, 'Δ°F'),
    cell('line_set_ft', t`Line set`, 'ft'),
    cell('rise_ft', t`Height between`, 'ft'),
    flag('buried_dip', t`Buried or dipping`),
    flag('kinked', t`Kinked`),
    {
      key: 'metering',
      label: t`Metering`,
      unit: '',
      options: [
        { value: 'piston', label: t`Piston` },
        { value: 'txv', label: t`Expansion valve` },
        { value: 'captube', label: t`Capillary` },
        { value: 'eev', label: t`Electronic valve` },
      ],
    },
    {
      key: 'charge',
      label: t`Charge, as known`,
      unit: '',
      options: [
        { value: 'low', label: t`Low` },
        { value: 'right', label: t`Right` },
        { value: 'over', label: t`Over` },
        { value: 'unknown', label: t`Unknown` },
      ],
    },
  ],
  legs: [
    cell('leg_a_idle_v', t`Leg A, idle`, 'V'),
    cell('leg_b_idle_v', t`Leg B, idle`, 'V'),
    cell('leg_a_start_v', t`Leg A, lowest at start`, 'V'),
    cell('leg_b_start_v', t`Leg B, meanwhile`, 'V'),
  ],
  'winding-amps': [
    cell('common_a', t`C, common`, 'A'),
    cell('run_a', t`R, its own wire`, 'A'),
    cell('start_a', t`S, start`, 'A'),
  ],
  'capacitor-top': [
    cell('ab_uf', t`Tabs a–b`, 'µF'),
    cell('bc_uf', t`Tabs b–c`, 'µF'),
    cell('ca_uf', t`Tabs c–a`, 'µF'),
  ],
  capacitor: [
    cell('label_uf', t`Label`, 'µF'),
    cell('winding_a', t`Start lead`, 'A'),
    cell('capacitor_v', t`Across C–HERM`, 'V'),
    cell('accuracy_pct', t`Clamp accuracy`, '± %'),
    cell('volts_accuracy_pct', t`Voltmeter accuracy`, '± %'),
  ],
  imbalance: [
    cell('volts.0', 'L1–L2', 'V'),
    cell('volts.1', 'L2–L3', 'V'),
    cell('volts.2', 'L3–L1', 'V'),
    cell('amps.0', 'L1', 'A'),
    cell('amps.1', 'L2', 'A'),
    cell('amps.2', 'L3', 'A'),
  ],
}

export const KITS: Record<string, { label: string; cells: Cell[] }> = {
  potential_relay: {
    label: t`Potential relay`,
    cells: [
      ohms('contact_ohm', t`Contact 1–2`),
      ohms('coil_ohm', t`Coil 5–2`),
      cell('start_cap_uf', t`Start capacitor`, 'µF'),
      cell('range_low_uf', t`Its label, from`, 'µF'),
      cell('range_high_uf', 'to', 'µF'),
      ohms('bleeder_ohm', t`Bleed resistor`),
    ],
  },
  ptc: { label: 'PTC', cells: [ohms('ptc_ohm', t`Thermistor, cold`)] },
  electronic: { label: t`Electronic`, cells: [] },
  current_relay: {
    label: t`Current relay`,
    cells: [ohms('contact_ohm', t`Contact, upright`), ohms('coil_ohm', t`Coil`)],
  },
  three_in_one: {
    label: t`Three-in-one`,
    cells: [ohms('overload_ohm', t`Overload, cold`), ohms('bleeder_ohm', t`Bleed resistor`)],
  },
  external_overload: { label: t`External overload`, cells: [ohms('overload_ohm', t`Overload, cold`)] },
}

/** Where the probes or the clamp go for a test. */
export function testDrawing(topic: string, kit: string): ReactNode {
  switch (topic) {
    case 'isolation':
      return <ContactorFace pair={['T1', 'METAL']} />
    case 'start-kit':
      return <KitOnBench kind={kit} />
    case 'capacitor-top':
      return <CapacitorTop pair={['C', 'HERM']} />
    case 'legs':
      return <LegsToNeutral />
    case 'supply-walk':
      return <SupplyPath />
    case 'capacitor':
      return <ClampPlaces place="start" />
    case 'winding-amps':
      return <ClampPlaces place="run" />
    case 'imbalance':
      return <ThreePhase />
    case 'refrigerant':
      return <RefrigerantPoints />
    default:
      return null
  }
}
