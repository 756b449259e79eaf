import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useMemo, useState } from 'react'
import { answer, type Call, client, problemOf, type Schemas } from '../../../api/client'
import { Button } from '../../../parts/button'
import { Choice } from '../../../parts/choice'
import { useDraft } from '../../../parts/draft'
import { FigureScope, NotComputed, useFigures } from '../../../parts/figures'
import { ProblemNote } from '../../../parts/problem'
import { useReadOnly, WhileOpen } from '../../../parts/read-only'
import { AuditList, findingsOf } from '../../circuits/audit'
import {
  type CircuitDraft,
  draftOfLook,
  plateEntry,
  thereEntry,
  wiringEntry,
} from '../../circuits/circuit-draft'
import { CircuitForm } from '../../circuits/circuit-form'
import { Sizing, useSizing } from '../../circuits/sizing'
import { PlateFirst } from '../plate-first'

/** The circuit that is there against this unit's plate, and what a new one would be. */
export function CircuitRung({ call }: { call: Call }) {
  const cache = useQueryClient()
  const [view, setView] = useState('audit')
  const figures = useFigures()
  const closed = useReadOnly()
  const kept = useQuery({
    queryKey: ['call-circuit', call.id],
    enabled: call.plate !== null,
    queryFn: () =>
      answer(client.GET('/api/calls/{call_id}/circuit', { params: { path: { call_id: call.id } } })),
    retry: false,
  })
  const start = useMemo(() => draftOfLook(kept.data?.look), [kept.data?.look])
  const [d, change, clear] = useDraft<CircuitDraft>(`look.${call.id}`, start)
  const save = useMutation({
    mutationFn: (look: Schemas['CircuitLook']) =>
      answer(
        client.POST('/api/calls/{call_id}/circuit', {
          params: { path: { call_id: call.id } },
          body: look,
        }),
      ),
    onSuccess: (told) => {
      cache.setQueryData(['call-circuit', call.id], told)
      clear()
      return cache.invalidateQueries({ queryKey: ['call', call.id] })
    },
  })
  const plate = call.plate?.plate
  const wiring = { ...wiringEntry(d), on_date: call.on_date }
  const entry = { ...(plate ? plateEntry(plate) : {}), ...wiring } as Schemas['CircuitIn']
  const sized = useSizing(entry, plate !== undefined && plate !== null && view === 'size' && figures.whole)
  if (!plate) return <PlateFirst callId={call.id} />
  const auditing = view === 'audit'
  const audit = kept.data?.audit ?? null
  const out = auditing ? audit : figures.whole && !sized.error ? sized.data : undefined
  const look = { wiring: wiringEntry(d), installed: thereEntry(d) }
  const nothing = Object.keys(look.installed).length === 0
  const told = (
    <div className="grid gap-3">
      <NotComputed figures={figures} />
      {auditing ? (
        <>
          <ProblemNote problem={problemOf(save.error ?? kept.error)} />
          <WhileOpen>
            <div className="flex flex-wrap items-center gap-3">
              <Button
                kind="primary"
                busy={save.isPending}
                disabled={nothing || !figures.whole || !call.allowed.look_at_circuit?.ok}
                onClick={() => save.mutate(look)}
              >{t`Check against the nameplate`}</Button>
              {nothing && <span className="text-soft">{t`Tap a part and say what is there.`}</span>}
            </div>
          </WhileOpen>
          {audit && <AuditList audit={audit} />}
        </>
      ) : (
        <>
          <ProblemNote problem={problemOf(sized.error)} />
          {figures.whole && !sized.error && sized.data && <Sizing entry={entry} out={sized.data} />}
        </>
      )}
    </div>
  )
  return (
    <FigureScope figures={figures}>
      <div className="grid max-w-5xl gap-4">
        <Choice
          label={t`Show`}
          hideLabel
          value={view}
          onChange={setView}
          options={[
            { value: 'audit', label: t`What is there` },
            { value: 'size', label: t`A new circuit` },
          ]}
        />
        <CircuitForm
          key={view}
          d={d}
          change={change}
          audit={auditing}
          plateOnRecord
          readOnly={closed}
          stations={out?.stations ?? []}
          findings={auditing ? findingsOf(audit) : (sized.data?.findings ?? [])}
        >
          {told}
        </CircuitForm>
        <p className="text-sm text-soft">{t`Covers come off only on a circuit proved dead. Local code and licensed people decide.`}</p>
      </div>
    </FigureScope>
  )
}
