import { t } from '@lingui/core/macro'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, at, type Call, client, NO_NETWORK, problemOf, Refusal, type Schemas } from '../../api/client'
import { Button } from '../../parts/button'
import { ProblemNote } from '../../parts/problem'
import { VerdictMark } from '../../parts/verdict'

type Field = Schemas['SeenField']

async function readPhoto(file: File): Promise<Schemas['PlatePhotoOut']> {
  const response = await fetch(at('/api/plate-photo'), { method: 'POST', body: file }).catch(() => null)
  if (!response) throw new Refusal(NO_NETWORK)
  const body = await response.json()
  if (!response.ok) throw new Refusal(body as Schemas['Problem'])
  return body as Schemas['PlatePhotoOut']
}

/** Read the plate from a photograph: each value beside its piece of the picture, confirmed one by one. */
export function PlatePhoto({ call, onTake }: { call: Call; onTake: (field: string, value: string) => void }) {
  const read = useMutation({ mutationFn: readPhoto })
  const label = useUnitLabel(call)
  const [done, setDone] = useState<Record<string, string>>({})
  const take = (field: string, value: string) => {
    const confirmed = () => setDone((old) => ({ ...old, [field]: value }))
    // Model and serial are kept with the unit at once: confirmed is said when they are.
    if (field === 'model' || field === 'serial')
      return label.mutate({ [field]: value }, { onSuccess: confirmed })
    onTake(field, value)
    confirmed()
  }
  return (
    <section aria-label={t`Read it from a photo`} className="border-2 border-line bg-field p-3">
      <label className="inline-flex min-h-11 cursor-pointer items-center border-2 border-line px-4 font-bold focus-within:outline-3 focus-within:outline-(--ring)">
        {read.isPending ? t`Reading the picture…` : t`Read it from a photo`}
        <input
          type="file"
          accept="image/*"
          capture="environment"
          className="sr-only"
          disabled={read.isPending}
          onChange={(event) => {
            const file = event.target.files?.[0]
            event.target.value = ''
            if (!file) return
            setDone({})
            read.mutate(file)
          }}
        />
      </label>
      <p className="pt-1 text-sm text-soft">{t`Shoot straight on, no glare, nameplate filling the frame. You confirm each value.`}</p>
      <ProblemNote problem={problemOf(read.error ?? label.error)} />
      {read.data && (
        <div role="status" className="pt-2">
          {read.data.next_step && <p className="font-bold">{read.data.next_step}</p>}
          {read.data.unread.length > 0 && (
            <p className="text-soft">{t`Not found in the photo: ${read.data.unread.join(', ')}. Type them in.`}</p>
          )}
        </div>
      )}
      <ul>
        {read.data?.fields.map((f) => (
          <Line key={f.proposed.field} of={f} taken={done[f.proposed.field]} onTake={take} />
        ))}
      </ul>
    </section>
  )
}

function Line({
  of,
  taken,
  onTake,
}: {
  of: Field
  taken: string | undefined
  onTake: (field: string, value: string) => void
}) {
  const p = of.proposed
  // A pair of ratings is one choice: which of the two is the supply here.
  const choices = p.field === 'volts' && p.value.includes('/') ? p.value.split('/') : [p.value, ...p.instead]
  return (
    <li className="grid gap-1 border-b border-faint py-2">
      <div className="flex flex-wrap items-center gap-x-3">
        <b>{p.label}</b>
        {taken !== undefined ? (
          <VerdictMark verdict="pass" word={t`${taken}, confirmed`} />
        ) : (
          <VerdictMark verdict={p.flagged ? 'watch' : 'note'} word={p.flagged ? t`Check closely` : t`Read`} />
        )}
      </div>
      {of.piece && (
        <img
          src={of.piece}
          alt={t`${p.label}, as seen`}
          className="max-h-16 max-w-full border border-faint bg-white object-contain object-left"
        />
      )}
      <p className="text-sm text-soft">
        {p.field === 'volts' && choices.length > 1 && p.value.includes('/')
          ? t`Rated ${p.value} V. Which is the supply here?`
          : p.why}
      </p>
      {taken === undefined && (
        <div className="flex flex-wrap gap-2">
          {choices.map((value) => (
            <Button
              key={value}
              aria-label={t`${p.label} is ${value}`}
              onClick={() => onTake(p.field, value)}
              className="figure"
            >
              {value}
            </Button>
          ))}
        </div>
      )}
    </li>
  )
}

/** Model and serial belong to the unit, not to the plate's figures. */
function useUnitLabel(call: Call) {
  const cache = useQueryClient()
  return useMutation({
    scope: { id: `unit-${call.unit_id}` },
    mutationFn: async (change: { model?: string; serial?: string }) => {
      const path = { unit_id: call.unit_id }
      const { unit } = await answer(client.GET('/api/units/{unit_id}', { params: { path } }))
      const {
        id: _,
        site: __,
        plate: ___,
        open_call_id: ____,
        calls: _____,
        age_years: ______,
        warranty_over: _______,
        ...words
      } = unit
      return answer(client.PUT('/api/units/{unit_id}', { params: { path }, body: { ...words, ...change } }))
    },
    onSuccess: () => {
      cache.invalidateQueries({ queryKey: ['unit', call.unit_id] })
      cache.invalidateQueries({ queryKey: ['call', call.id] })
    },
  })
}
