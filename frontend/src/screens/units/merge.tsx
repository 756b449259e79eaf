import { t } from '@lingui/core/macro'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { answer, client, problemOf, type Unit } from '../../api/client'
import { useUnits } from '../../api/queries'
import { Button } from '../../parts/button'
import { Pick } from '../../parts/pick'
import { ProblemNote } from '../../parts/problem'

/** Two records of one machine, or of one place, made one. */
export function Merge({ unit, onDone }: { unit: Unit; onDone: () => void }) {
  const cache = useQueryClient()
  const navigate = useNavigate()
  const units = useUnits()
  const [machine, setMachine] = useState('')
  const [place, setPlace] = useState('')
  const all = units.data ?? []
  const machines = all.filter((u) => u.site.id === unit.site.id && u.id !== unit.id)
  const places = [...new Map(all.map((u) => [u.site.id, u.site])).values()].filter(
    (s) => s.id !== unit.site.id,
  )
  const merge = useMutation({
    mutationFn: async (what: 'unit' | 'site') => {
      if (what === 'unit') {
        const made = await answer(
          client.POST('/api/units/{unit_id}/merge', {
            params: { path: { unit_id: unit.id } },
            body: { into: Number(machine), version: unit.version },
          }),
        )
        return made.id
      }
      await answer(
        client.POST('/api/sites/{site_id}/merge', {
          params: { path: { site_id: unit.site.id } },
          body: { into: Number(place), version: unit.site.version },
        }),
      )
      return unit.id
    },
    onSuccess: (id) => {
      cache.invalidateQueries()
      onDone()
      navigate(`/units/${id}`, { replace: true })
    },
  })
  const none = { value: '', label: t`Choose…` }
  return (
    <details className="border-t-2 border-ink pt-2">
      <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`Duplicate record?`}</summary>
      <div className="grid gap-3">
        <ProblemNote problem={problemOf(merge.error)} />
        {machines.length > 0 && (
          <div className="grid gap-2">
            <Pick
              label={t`This unit is the same machine as`}
              value={machine}
              onChange={setMachine}
              options={[none, ...machines.map((u) => ({ value: String(u.id), label: u.name }))]}
            />
            <p className="text-sm text-soft">{t`Calls, nameplates, tasks and visits move to the other unit, which keeps its nameplate. The old label opens it. You can't undo this.`}</p>
            <div>
              <Button
                disabled={!machine}
                busy={merge.isPending && merge.variables === 'unit'}
                onClick={() => merge.mutate('unit')}
              >{t`Merge the units`}</Button>
            </div>
          </div>
        )}
        {places.length > 0 && (
          <div className="grid gap-2">
            <Pick
              label={t`${unit.site.name} is the same place as`}
              value={place}
              onChange={setPlace}
              options={[none, ...places.map((s) => ({ value: String(s.id), label: s.name }))]}
            />
            <p className="text-sm text-soft">{t`All its units move to the other site. Duplicate names get a number. This can't be undone.`}</p>
            <div>
              <Button
                disabled={!place}
                busy={merge.isPending && merge.variables === 'site'}
                onClick={() => merge.mutate('site')}
              >{t`Merge the places`}</Button>
            </div>
          </div>
        )}
      </div>
    </details>
  )
}
