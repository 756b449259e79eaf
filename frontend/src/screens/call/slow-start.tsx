import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { lazy, Suspense, useState } from 'react'
import { answer, type Call, client, problemOf, type Schemas } from '../../api/client'
import { Button } from '../../parts/button'
import { early } from '../../parts/early'
import { ProblemNote } from '../../parts/problem'

const SlowMotion = lazy(early(() => import('../lab/slow-motion').then((m) => ({ default: m.SlowMotion }))))

/** This unit's own start in slow motion, to be looked at with the customer: as it is, and as it was bare. */
export function SlowStart({ call }: { call: Call }) {
  const [open, setOpen] = useState(false)
  const start = useQuery({
    queryKey: ['start of call', call.id, call.version, call.readings.length, call.changes.length],
    enabled: open,
    queryFn: () =>
      answer(client.GET('/api/calls/{call_id}/start', { params: { path: { call_id: call.id } } })),
  })
  if (!open)
    return (
      <div>
        <Button onClick={() => setOpen(true)}>{t`Show this unit's start in slow motion`}</Button>
      </div>
    )
  const told = start.data?.start
  const aided = told?.aid !== undefined && told.aid.kind !== 'none'
  const body = told && {
    starts: [
      { label: aided ? t`As it is now` : t`This unit`, start: told },
      ...(aided ? [{ label: t`Without its aid`, start: { ...told, aid: { kind: 'none' } } }] : []),
    ],
  }
  return (
    <div>
      <ProblemNote problem={start.data?.refused ?? problemOf(start.error)} />
      {body && (
        <Suspense fallback={<p>{t`Computing…`}</p>}>
          <SlowMotion body={body as Schemas['LabIn']} />
        </Suspense>
      )}
    </div>
  )
}
