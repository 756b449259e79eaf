import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { problemOf, type Schemas } from '../../api/client'
import { useReference } from '../../api/queries'
import { Choice } from '../../parts/choice'
import { useDraft } from '../../parts/draft'
import { FigureScope, NotComputed, useFigures } from '../../parts/figures'
import { ProblemNote } from '../../parts/problem'
import { useTitle } from '../../parts/title'
import { AuditList, findingsOf, useAudit } from './audit'
import {
  type CircuitDraft,
  EXAMPLE,
  EXAMPLE_THERE,
  lacking,
  loadsEntry,
  NOTHING_SAID,
  thereEntry,
  wiringEntry,
} from './circuit-draft'
import { CircuitForm } from './circuit-form'
import { ExampleOrClear } from './example-or-clear'
import { HeatBench } from './heat'
import { QuickSums } from './quick-sums'
import { Sizing, useSizing } from './sizing'
import { FEEDS } from './wiring-words'

/** Sizing, auditing, heat strips and quick sums without a call. */
export function CircuitsScreen() {
  useTitle(t`Circuits`)
  const [view, setView] = useState('size')
  return (
    <div className="mx-auto grid max-w-5xl gap-4 p-3 sm:p-5">
      <h1 className="text-2xl font-bold">{t`Circuits`}</h1>
      <Choice
        label={t`Show`}
        hideLabel
        value={view}
        onChange={setView}
        options={[
          { value: 'size', label: t`Size a circuit` },
          { value: 'audit', label: t`Audit what is there` },
          { value: 'heat', label: t`Heat strips` },
          { value: 'sums', label: t`Quick sums` },
        ]}
      />
      {view === 'heat' ? (
        <HeatBench />
      ) : view === 'sums' ? (
        <QuickSums />
      ) : (
        <Bench key={view} audit={view === 'audit'} />
      )}
      <p className="text-sm text-soft">{t`US practice by the edition chosen. Local amendments, the authority having jurisdiction and a licensed person decide.`}</p>
    </div>
  )
}

function Bench({ audit }: { audit: boolean }) {
  const [d, change, clear] = useDraft<CircuitDraft>('circuit', NOTHING_SAID)
  const figures = useFigures()
  const reference = useReference()
  const heat = d.feeds === 'heat'
  // The day here, as the shop's own clock has it.
  const entry = { ...loadsEntry(d), ...wiringEntry(d), on_date: reference.data?.today ?? null }
  const lacks = lacking(entry, heat, true)
  const ready = lacks === null && figures.whole
  const sized = useSizing(entry as Schemas['CircuitIn'], ready && !audit)
  const body = {
    ...entry,
    installed: thereEntry(d),
    ...(audit && heat && d.single && { single_point: d.single === 'yes' }),
  } as Schemas['AuditIn']
  const audited = useAudit(body, ready && audit)
  const asked = audit ? audited : sized
  const out = ready && !asked.error ? asked.data : undefined
  const findings = audit ? findingsOf(audited.data) : (sized.data?.findings ?? [])
  return (
    <FigureScope figures={figures}>
      <Choice
        label={t`What does it feed?`}
        value={d.feeds}
        onChange={(feeds) => change({ feeds })}
        options={FEEDS}
      />
      <CircuitForm
        d={d}
        change={change}
        audit={audit}
        plateOnRecord={false}
        stations={out?.stations ?? []}
        findings={out ? findings : []}
      >
        <div className="grid gap-3">
          <NotComputed figures={figures} />
          {ready && <ProblemNote problem={problemOf(asked.error)} />}
          {out && audit && audited.data && <AuditList audit={audited.data} />}
          {out && !audit && sized.data && <Sizing entry={entry as Schemas['CircuitIn']} out={sized.data} />}
          {lacks && <p className="text-lg">{t`${lacks} Tap the unit, or type below.`}</p>}
          <ExampleOrClear
            d={d}
            nothing={NOTHING_SAID}
            example={audit ? { ...EXAMPLE, ...EXAMPLE_THERE } : EXAMPLE}
            change={change}
            clear={clear}
          />
        </div>
      </CircuitForm>
    </FigureScope>
  )
}
