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
    { ...cell('stage_called', 'Stage called, up to', ''), whole: true },
    { ...cell('elements', 'Elements that should heat', ''), whole: true },
    cell('element_kw', 'Each element', 'kW'),
    cell('volts', 'Volts at the strips', 'V'),
    cell('amps', 'Amps, strips and blower', 'A'),
    cell('blower_fla_a', "Blower's share", 'A'),
    cell('rise_f', 'Air out less air in', 'Δ°F'),
    cell('rise_low_f', 'Plate: rise from', 'Δ°F'),
    cell('rise_high_f', 'Plate: rise to', 'Δ°F'),
    cell('altitude_ft', 'Elevation', 'ft'),
    flag('on_backup', 'On the backup source too'),
  ],
  isolation: [
    flag('whole', 'All joined'),
    flag('compressor', 'Compressor, leads off'),
    flag('terminal_c', 'Pin C'),
    flag('terminal_s', 'Pin S'),
    flag('terminal_r', 'Pin R'),
    flag('fan', 'Fan'),
    flag('crankcase_heater', 'Crankcase heater'),
    flag('run_capacitor', 'Run capacitor'),
    flag('start_kit', 'Start kit'),
    flag('wiring', 'Wires alone'),
    cell('insulation_megohm', 'Insulation', 'MΩ'),
    cell('test_v', 'Test volts', 'V'),
    cell('winding_f', 'Winding', '°F'),
  ],
  refrigerant: [
    cell('idle_suction_psig', 'Suction, before', 'psig'),
    cell('idle_discharge_psig', 'Discharge, before', 'psig'),
    cell('rest_min', 'Off time before', 'min'),
    cell('suction_psig', 'Suction, running', 'psig'),
    cell('discharge_psig', 'Discharge, running', 'psig'),
    cell('outdoor_f', 'Air into the condenser', '°F'),
    cell('suction_line_f', 'Suction line', '°F'),
    cell('liquid_line_f', 'Liquid line', '°F'),
    cell('altitude_ft', 'Elevation', 'ft'),
    cell('superheat_f', 'Superheat', 'Δ°F'),
    cell('subcooling_f', 'Subcooling', 'Δ°F'),
    cell('line_set_ft', 'Line set', 'ft'),
    cell('rise_ft', 'Height between', 'ft'),
    flag('buried_dip', 'Buried or dipping'),
    flag('kinked', 'Kinked'),
    {
      key: 'metering',
      label: 'Metering',
      unit: '',
      options: [
        { value: 'piston', label: 'Piston' },
        { value: 'txv', label: 'Expansion valve' },
        { value: 'captube', label: 'Capillary' },
        { value: 'eev', label: 'Electronic valve' },
      ],
    },
    {
      key: 'charge',
      label: 'Charge, as known',
      unit: '',
      options: [
        { value: 'low', label: 'Low' },
        { value: 'right', label: 'Right' },
        { value: 'over', label: 'Over' },
        { value: 'unknown', label: 'Unknown' },
      ],
    },
  ],
  legs: [
    cell('leg_a_idle_v', 'Leg A, idle', 'V'),
    cell('leg_b_idle_v', 'Leg B, idle', 'V'),
    cell('leg_a_start_v', 'Leg A, lowest at start', 'V'),
    cell('leg_b_start_v', 'Leg B, meanwhile', 'V'),
  ],
  'winding-amps': [
    cell('common_a', 'C, common', 'A'),
    cell('run_a', 'R, its own wire', 'A'),
    cell('start_a', 'S, start', 'A'),
  ],
  'capacitor-top': [
    cell('ab_uf', 'Tabs a–b', 'µF'),
    cell('bc_uf', 'Tabs b–c', 'µF'),
    cell('ca_uf', 'Tabs c–a', 'µF'),
  ],
  capacitor: [
    cell('label_uf', 'Label', 'µF'),
    cell('winding_a', 'Start lead', 'A'),
    cell('capacitor_v', 'Across C–HERM', 'V'),
    cell('accuracy_pct', 'Clamp accuracy', '± %'),
    cell('volts_accuracy_pct', 'Voltmeter accuracy', '± %'),
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
    label: 'Potential relay',
    cells: [
      ohms('contact_ohm', 'Contact 1–2'),
      ohms('coil_ohm', 'Coil 5–2'),
      cell('start_cap_uf', 'Start capacitor', 'µF'),
      cell('range_low_uf', 'Its label, from', 'µF'),
      cell('range_high_uf', 'to', 'µF'),
      ohms('bleeder_ohm', 'Bleed resistor'),
    ],
  },
  ptc: { label: 'PTC', cells: [ohms('ptc_ohm', 'Thermistor, cold')] },
  electronic: { label: 'Electronic', cells: [] },
  current_relay: {
    label: 'Current relay',
    cells: [ohms('contact_ohm', 'Contact, upright'), ohms('coil_ohm', 'Coil')],
  },
  three_in_one: {
    label: 'Three-in-one',
    cells: [ohms('overload_ohm', 'Overload, cold'), ohms('bleeder_ohm', 'Bleed resistor')],
  },
  external_overload: { label: 'External overload', cells: [ohms('overload_ohm', 'Overload, cold')] },
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
