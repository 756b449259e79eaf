import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { answer, client, problemOf, type Schemas } from '../../api/client'
import { Button } from '../../parts/button'
import { ProblemNote } from '../../parts/problem'
import { clock, day, figure } from '../../quantities/format'

/** When the records were last backed up, and whether a backup was seen to come back. */
export function Backups({ manages }: { manages: boolean }) {
  const cache = useQueryClient()
  const state = useQuery({
    queryKey: ['backups'],
    queryFn: () => answer(client.GET('/api/backups').then(whole)),
  })
  const make = useMutation({
    mutationFn: () => answer(client.POST('/api/backups')),
    onSuccess: (now) => {
      cache.setQueryData(['backups'], now)
      cache.invalidateQueries({ queryKey: ['keeping'] })
    },
  })
  const s = state.data
  if (!s?.folder) return <p className="py-2 text-soft">{t`This server makes no backups.`}</p>
  const last = s.last
  return (
    <div className="grid justify-items-start gap-2 py-2">
      <p className={s.late && last ? 'font-bold text-fail' : ''}>
        {last
          ? t`${s.late ? '✕ ' : '✓ '}Last good backup ${day(last.made_at)} ${clock(last.made_at)}, ${figure(last.size_bytes / 1e6, 3)} MB; ${s.kept} kept.`
          : t`△ No backup yet; the first comes within minutes.`}{' '}
        {s.every_h > 0 ? t`One every ${figure(s.every_h)} hours by itself.` : t`None by itself.`}
      </p>
      {s.low && (
        <p className="font-bold text-fail">{t`✕ Only ${figure(s.free_bytes / 1e9, 2)} GB are free where the records lie. Make room before it is full.`}</p>
      )}
      {s.trouble && <p className="font-bold text-fail">{t`The last try failed: ${s.trouble}`}</p>}
      <p className={s.drill && !s.drill.ok ? 'font-bold text-fail' : 'text-soft'}>
        {s.drill
          ? s.drill.ok
            ? t`Restore test ${day(s.drill.tried_at)}: passed. ${s.drill.said}`
            : t`Restore test ${day(s.drill.tried_at)}: failed. ${s.drill.said}`
          : t`No restore test yet. Run: orange-crank drill.`}
      </p>
      {manages && (
        <>
          <p className="text-sm break-all text-soft">{t`Backups are in ${s.folder}. Keep a copy on another disk.`}</p>
          <Button busy={make.isPending} onClick={() => make.mutate()}>{t`Back up now`}</Button>
        </>
      )}
      <ProblemNote problem={problemOf(make.error)} />
    </div>
  )
}

/** An answer of nothing is an answer. */
function whole<T extends { data?: Schemas['BackupState'] | null; response: Response }>(told: T) {
  return { ...told, data: told.data ?? ({} as Partial<Schemas['BackupState']>) }
}
