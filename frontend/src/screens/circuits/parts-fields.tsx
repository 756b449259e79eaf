import { t } from '@lingui/core/macro'
import type { Schemas } from '../../api/client'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { nextId } from '../../parts/draft'
import { FigureField, TextField } from '../../parts/field'
import { Pick } from '../../parts/pick'
import { type CircuitDraft, type LoadRow, loadRow, lugRow } from './circuit-draft'
import { EDITIONS, INSULATIONS, METALS, RACEWAYS, sizeOptions, TERMINALS, YES_NO } from './wiring-words'

export type Station = Schemas['StationOut']['station']
export type PartProps = {
  d: CircuitDraft
  change: (part: Partial<CircuitDraft>) => void
  /** Whether a circuit that is there is looked at; else one is sized. */
  audit: boolean
  /** Where the loads come from the unit's plate on record. */
  plateOnRecord: boolean
}

const notEntered = { value: '', label: t`Not entered` }
type Text = { [K in keyof CircuitDraft]: CircuitDraft[K] extends string ? K : never }[keyof CircuitDraft]

function useBound({ d, change }: PartProps) {
  return {
    field: (key: Text, label: string, unit?: string) => (
      <FigureField
        label={label}
        whole={unit === undefined}
        {...(unit && { unit })}
        value={d[key]}
        onChange={(v) => change({ [key]: v })}
      />
    ),
    pick: (key: Text, label: string, options: { value: string; label: string }[]) => (
      <Pick
        label={label}
        value={d[key]}
        onChange={(v) => change({ [key]: v })}
        options={[notEntered, ...options]}
      />
    ),
    choice: (key: Text, label: string, options: { value: string; label: string }[]) => (
      <Choice
        label={label}
        value={d[key]}
        onChange={(v) => change({ [key]: v })}
        options={[notEntered, ...options]}
      />
    ),
  }
}

const grid = 'grid grid-cols-2 gap-3 sm:grid-cols-3'

/** The fields of one part of the line: what is there, or how it shall be. */
export function PartFields({ station, ...props }: PartProps & { station: Station }) {
  const Fields = FIELDS[station]
  return <Fields {...props} />
}

function DeviceFields(props: PartProps) {
  const { field, choice } = useBound(props)
  const { audit } = props
  return (
    <div className="grid gap-3">
      {audit ? (
        <>
          <div className={grid}>
            {field('device', t`Existing breaker or fuse`, 'A')}
            {field('poles', t`Poles`)}
          </div>
          {choice('kind', t`Type`, [
            { value: 'breaker', label: t`Breaker` },
            { value: 'fuse', label: t`Fuse` },
          ])}
          {choice('groundFault', t`GFCI (Class A)`, YES_NO)}
        </>
      ) : (
        choice('smallest', t`Smallest breaker code allows`, YES_NO)
      )}
      {choice('dwelling', t`House or apartment`, YES_NO)}
      {choice('equipment', t`Equipment`, [
        { value: 'hvac', label: t`Listed HVAC` },
        { value: 'inverter_hvac', label: t`Mini-split or inverter` },
        { value: 'refrigeration', label: t`Refrigeration` },
        { value: 'other', label: t`Something else` },
      ])}
    </div>
  )
}

function ConductorFields(props: PartProps) {
  const { field, pick, choice } = useBound(props)
  const { d, change, audit } = props
  const putLug = (i: number, part: Partial<CircuitDraft['lugs'][number]>) =>
    change({ lugs: d.lugs.map((l, k) => (k === i ? { ...l, ...part } : l)) })
  return (
    <div className="grid gap-3">
      <div className={grid}>
        {audit && pick('size', t`Existing wire`, sizeOptions)}
        {pick('insulation', t`Insulation`, INSULATIONS)}
        {field('length', t`Length, one way`, 'ft')}
        {field('ambient', t`Highest ambient`, '°F')}
        {field('conductors', t`Current-carrying conductors`)}
        {field('limit', t`Voltage drop limit`, '%')}
        {field('startLimit', t`Start drop limit`, '%')}
      </div>
      <div className="flex flex-wrap gap-4">
        {choice('material', t`Conductor metal`, METALS)}
        {choice('termination', t`Lugs marked (both ends)`, TERMINALS)}
        {!audit &&
          choice('school', t`Wire sized to`, [
            { value: 'mca', label: 'MCA' },
            { value: 'breaker', label: t`Breaker` },
          ])}
      </div>
      {d.lugs.map((l, i) => (
        <fieldset key={l.id} className="grid grid-cols-2 gap-3 border-t-2 border-line pt-2 sm:grid-cols-3">
          <legend className="pr-2 font-bold">{t`Lug label ${i + 1}`}</legend>
          <TextField
            label={t`Where`}
            value={l.at}
            onChange={(at) => putLug(i, { at })}
            placeholder={t`contactor`}
          />
          <Pick
            label={t`Takes from`}
            value={l.low}
            onChange={(low) => putLug(i, { low })}
            options={[{ value: '', label: t`not read` }, ...sizeOptions]}
          />
          <Pick
            label={t`Takes up to`}
            value={l.high}
            onChange={(high) => putLug(i, { high })}
            options={[{ value: '', label: t`not read` }, ...sizeOptions]}
          />
          <Pick
            label={t`Marked for`}
            value={l.metals}
            onChange={(metals) => putLug(i, { metals })}
            options={[
              { value: '', label: t`not read` },
              { value: 'copper', label: t`Copper` },
              { value: 'aluminum', label: t`Aluminum` },
              { value: 'both', label: t`Copper and aluminum` },
            ]}
          />
          <Pick
            label={t`Marked at`}
            value={l.marked}
            onChange={(marked) => putLug(i, { marked })}
            options={[{ value: '', label: t`no mark` }, ...TERMINALS]}
          />
          <Button
            kind="quiet"
            className="self-end"
            aria-label={t`Remove lug label ${i + 1}`}
            onClick={() => change({ lugs: d.lugs.filter((_, k) => k !== i) })}
          >{t`Remove`}</Button>
        </fieldset>
      ))}
      <div>
        <Button
          onClick={() => change({ lugs: [...d.lugs, lugRow(nextId(d.lugs))] })}
        >{t`+ Lug label`}</Button>
      </div>
    </div>
  )
}

function GroundFields(props: PartProps) {
  const { pick, choice } = useBound(props)
  return (
    <div className="grid gap-3">
      {choice('groundBy', t`The ground is`, [
        { value: 'wire', label: t`A wire` },
        { value: 'raceway', label: t`The metal raceway` },
      ])}
      {props.d.groundBy !== 'raceway' && (
        <>
          {props.audit && <div className={grid}>{pick('egc', t`Existing ground (EGC)`, sizeOptions)}</div>}
          {choice('groundMetal', t`Ground metal`, METALS)}
        </>
      )}
    </div>
  )
}

function RacewayFields(props: PartProps) {
  const { field, pick, choice } = useBound(props)
  return (
    <div className="grid gap-3">
      <div className={grid}>
        {pick('raceway', t`Raceway or cable`, RACEWAYS)}
        {field('roof', t`Conduit above roof`, 'in')}
      </div>
      <div className="flex flex-wrap gap-4">
        {choice('outdoors', t`Outdoors`, YES_NO)}
        {choice('wet', t`Wet location`, YES_NO)}
      </div>
    </div>
  )
}

function DisconnectFields(props: PartProps) {
  const { field, choice } = useBound(props)
  return (
    <div className="grid gap-3">
      {props.audit && (
        <>
          <div className={grid}>
            {field('disconnect', t`Existing disconnect`, 'A')}
            {field('hp', t`Disconnect hp rating`, 'hp')}
            {props.d.fused === 'yes' && field('fuse', t`Fuses in it`, 'A')}
          </div>
          {choice('fused', t`Disconnect fused`, YES_NO)}
        </>
      )}
      <div className={grid}>{field('fault', t`Available fault current at unit`, 'A')}</div>
    </div>
  )
}

function UnitFields(props: PartProps) {
  const { field, choice } = useBound(props)
  const { d, change, plateOnRecord } = props
  if (plateOnRecord)
    return (
      <div className="grid gap-3">
        <p>{t`Loads, MCA and MOCP come from this unit’s plate.`}</p>
        <div className={grid}>{field('shortCircuit', t`Short-circuit rating`, 'A')}</div>
      </div>
    )
  const heat = d.feeds === 'heat'
  return (
    <div className="grid gap-3">
      <div className={grid}>
        {field('volts', t`Volts`, 'V')}
        {field('mca', 'MCA', 'A')}
        {field('mocp', heat ? t`MOCP, if marked` : 'MOCP', 'A')}
      </div>
      <div className="flex flex-wrap gap-4">
        {choice('phase', t`Phase`, [
          { value: '1', label: t`Single` },
          { value: '3', label: t`Three` },
        ])}
        {!heat &&
          choice('allowed', t`The plate allows`, [
            { value: 'fuse_or_breaker', label: t`Fuse or breaker` },
            { value: 'fuse', label: t`Fuse only` },
          ])}
        {props.audit && heat && choice('single', t`Listed single-point kit`, YES_NO)}
      </div>
      {!heat && d.feeds !== 'fan_coil' && (
        <LoadRows
          rows={d.compressors}
          change={(compressors) => change({ compressors })}
          word={t`Compressor`}
          labels={['RLA', 'LRA', 'BCSC']}
        />
      )}
      <LoadRows
        rows={d.motors}
        change={(motors) => change({ motors })}
        word={heat ? t`Blower` : t`Motor`}
        labels={['FLA', t`LRA, if shown`]}
      />
      <div className={grid}>
        {field('other', heat ? t`Heater amps` : t`Other load`, 'A')}
        {field('shortCircuit', t`Short-circuit rating`, 'A')}
      </div>
      {!heat &&
        d.other.trim() !== '' &&
        choice('otherKind', t`Type of other load`, [
          { value: 'heat', label: t`Heat` },
          { value: 'motor', label: t`A motor` },
          { value: 'other', label: t`Something else` },
        ])}
      {!heat && (
        <details open={d.pairVolts !== ''}>
          <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`The plate shows a second voltage`}</summary>
          <div className={grid}>
            {field('pairVolts', t`Second voltage`, 'V')}
            {field('pairMca', t`MCA at second voltage`, 'A')}
            {field('pairMocp', t`MOCP at second voltage`, 'A')}
          </div>
          <LoadRows
            rows={d.pairCompressors}
            change={(pairCompressors) => change({ pairCompressors })}
            word={t`Compressor`}
            at={t`at the second voltage`}
            labels={['RLA', 'LRA', 'BCSC']}
          />
          <LoadRows
            rows={d.pairMotors}
            change={(pairMotors) => change({ pairMotors })}
            word={t`Motor`}
            at={t`at the second voltage`}
            labels={['FLA', t`LRA, if shown`]}
          />
          <p className="text-sm text-soft">{t`Uses the column for this supply.`}</p>
        </details>
      )}
      {!props.audit && choice('provisional', t`Unit not delivered yet`, YES_NO)}
      <div className={grid}>
        <Pick
          label={t`Code edition`}
          value={d.edition}
          onChange={(edition) => change({ edition })}
          options={[notEntered, ...EDITIONS]}
        />
      </div>
    </div>
  )
}

const FIELDS: Record<Station, (props: PartProps) => React.ReactNode> = {
  device: DeviceFields,
  conductor: ConductorFields,
  ground: GroundFields,
  raceway: RacewayFields,
  disconnect: DisconnectFields,
  unit: UnitFields,
}

/** Compressors or motors of a plate, one a row. */
function LoadRows({
  rows,
  change,
  word,
  labels,
  at = '',
}: {
  rows: LoadRow[]
  change: (rows: LoadRow[]) => void
  word: string
  labels: [string, string, string?]
  /** At which of the plate's voltages, where it shows two. */
  at?: string
}) {
  const put = (i: number, part: Partial<LoadRow>) =>
    change(rows.map((r, k) => (k === i ? { ...r, ...part } : r)))
  const several = rows.length > 1
  return (
    <fieldset>
      <legend className="text-sm font-bold text-soft">{`${word}, ${at || t`one a row`}`}</legend>
      {rows.map((r, i) => (
        <div key={r.id} className="grid grid-cols-2 gap-2 pb-2 sm:grid-cols-[1fr_1fr_1fr_auto]">
          {(['a', 'b', 'c'] as const).map((name, k) => {
            const label = labels[k]
            return label ? (
              <FigureField
                key={name}
                label={[word, ...(several ? [i + 1] : []), label, ...(at ? [at] : [])].join(' ')}
                unit="A"
                value={r[name]}
                onChange={(v) => put(i, { [name]: v })}
              />
            ) : null
          })}
          {several && (
            <Button
              kind="quiet"
              className="self-end px-2"
              aria-label={t`Remove ${word.toLowerCase()} ${i + 1} ${at}`.trim()}
              onClick={() => change(rows.filter((_, k) => k !== i))}
            >{t`Remove`}</Button>
          )}
        </div>
      ))}
      <Button onClick={() => change([...rows, loadRow(nextId(rows))])}>+ {word}</Button>
    </fieldset>
  )
}
