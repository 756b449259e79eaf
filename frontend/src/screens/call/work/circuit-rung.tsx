import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, type Call, client, problemOf, type Schemas } from '../../../api/client'
import { Button } from '../../../parts/button'
import { Choice } from '../../../parts/choice'
import { useDraft } from '../../../parts/draft'
import { FigureScope, NotComputed, useFigures } from '../../../parts/figures'
import { ProblemNote } from '../../../parts/problem'
import { WhileOpen } from '../../../parts/read-only'
import { AuditList, installed, THERE, type ThereDraft, ThereFields } from '../../circuits/audit'
import { Sizing } from '../../circuits/sizing'
import { WIRING, type WiringDraft, WiringFields, wiringEntry } from '../../circuits/wiring-fields'
import { PlateFirst } from '../plate-first'

/** The circuit that is there against this unit's plate, and what a new one would be. */
export function CircuitRung({ call }: { call: Call }) {
  const cache = useQueryClient()
  const [view, setView] = useState('audit')
  const figures = useFigures()
  const [wiring, changeWiring] = useDraft<WiringDraft>(`circuit.${call.id}`, WIRING)
  const [there, changeThere] = useDraft<ThereDraft>(`there.${call.id}`, THERE)
  const kept = useQuery({
    queryKey: ['call-circuit', call.id],
    enabled: call.plate !== null,
    queryFn: () =>
      answer(client.GET('/api/calls/{call_id}/circuit', { params: { path: { call_id: call.id } } })),
    retry: false,
  })
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
      return cache.invalidateQueries({ queryKey: ['call', call.id] })
    },
  })
  const plate = call.plate?.plate
  if (!plate) return <PlateFirst callId={call.id} />
  const wires = { ...wiringEntry(wiring), on_date: call.on_date }
  const now = installed(there)
  const loads = Object.fromEntries(Object.entries(plate).filter(([, v]) => v !== null))
  return (
    <FigureScope figures={figures}>
      <div className="grid max-w-5xl gap-4">
        <Choice
          label="Show"
          hideLabel
          value={view}
          onChange={setView}
          options={[
            { value: 'audit', label: 'What is there' },
            { value: 'size', label: 'A new circuit' },
          ]}
        />
        <WhileOpen>
          <WiringFields d={wiring} change={changeWiring} />
        </WhileOpen>
        <NotComputed figures={figures} />
        {view === 'size' ? (
          figures.whole && <Sizing entry={{ ...loads, ...wires } as Schemas['CircuitIn']} />
        ) : (
          <>
            <WhileOpen>
              <ThereFields d={there} change={changeThere} />
            </WhileOpen>
            <ProblemNote problem={problemOf(save.error ?? kept.error)} />
            <div>
              <Button
                kind="primary"
                busy={save.isPending}
                disabled={now === null || !figures.whole || !call.allowed.look_at_circuit?.ok}
                onClick={() =>
                  now && save.mutate({ wiring: wires as Record<string, unknown>, installed: now })
                }
              >
                Check against the nameplate
              </Button>
            </div>
            {kept.data?.audit && <AuditList audit={kept.data.audit} />}
          </>
        )}
        <p className="text-sm text-soft">
          Covers come off only on a circuit proved dead. Local code and licensed people decide.
        </p>
      </div>
    </FigureScope>
  )
}
