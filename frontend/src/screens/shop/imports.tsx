import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, client, problemOf, type Schemas } from '../../api/client'
import { Button } from '../../parts/button'
import { asFile, FilePick } from '../../parts/file-pick'
import { Pick } from '../../parts/pick'
import { ProblemNote } from '../../parts/problem'
import { clock, day } from '../../quantities/format'

type Goes = Schemas['ListColumn']['goes']

/** Customers and units from a spreadsheet: columns put in place, shown, then brought in whole. */
export function Customers() {
  const cache = useQueryClient()
  const [held, setHeld] = useState<File | null>(null)
  const where = useQuery({
    queryKey: ['destinations'],
    queryFn: () => answer(client.GET('/api/customers/destinations')),
    staleTime: Number.POSITIVE_INFINITY,
  })
  const take = useMutation({
    mutationFn: ({ file, goes, keep }: { file: File; goes?: Goes[]; keep?: boolean }) =>
      answer(
        client.POST('/api/customers/import', {
          params: { query: { keep: keep ?? false, ...(goes ? { goes: goes.join(',') } : {}) } },
          ...asFile(file, 'text/csv'),
        }),
      ),
    onSuccess: (_, { file, keep }) => {
      setHeld(keep ? null : file)
      if (keep) cache.invalidateQueries()
    },
  })
  const told = take.data
  const goes = told?.columns.map((c) => c.goes) ?? []
  const move = (column: number, to: Goes) =>
    held && take.mutate({ file: held, goes: goes.map((g, i) => (i === column ? to : g)) })
  return (
    <div className="grid gap-3 py-2">
      <p className="text-soft">{t`A spreadsheet saved as CSV, one line per unit or customer. Records that exist are matched by name and serial, and only blanks are filled. You can take it back.`}</p>
      <FilePick
        label={t`Customer list`}
        accept=".csv,.txt,text/csv"
        busy={take.isPending}
        onFile={(file) => take.mutate({ file })}
      />
      <ProblemNote problem={problemOf(take.error)} />
      {held && told && (
        <section
          aria-label={t`What the list would add`}
          className="grid gap-3 border-2 border-line bg-field p-3"
        >
          <p className="font-bold">
            {told.problems.length > 0 && told.count === 0
              ? t`Match each column.`
              : t`${told.count} lines would bring: ${told.told}.`}
          </p>
          {told.problems.length > 0 && (
            <ul aria-label={t`Wrong in the list`} className="border-l-[7px] border-fail pl-3">
              {told.problems.map((p) => (
                <li key={p.field + p.wanted}>
                  <b>{p.label}</b>
                  {t`: enter ${p.wanted}`}
                  {p.got !== null && p.got !== undefined && t`, not “${String(p.got)}”`}
                </li>
              ))}
            </ul>
          )}
          <ul className="grid gap-3 sm:grid-cols-2 lg:grid-cols-3">
            {told.columns.map((c, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place in the file
              <li key={i} className="min-w-0">
                <Pick
                  label={c.heading || t`Column ${i + 1}`}
                  value={c.goes}
                  onChange={(to) => move(i, to as Goes)}
                  options={where.data ?? [{ value: c.goes, label: c.goes }]}
                />
                <p className="truncate text-sm text-soft">{c.samples.join(' · ') || 'empty'}</p>
              </li>
            ))}
          </ul>
          {told.lines.length > 0 && (
            <ol aria-label={t`First lines`} className="max-h-72 overflow-y-auto border-t border-faint">
              {told.lines.map((l) => (
                <li key={l.line} className="border-b border-faint py-1">
                  <span className="figure text-soft">{l.line}</span> <b>{l.site}</b> {l.unit}{' '}
                  <span className="text-soft">{l.does}</span>
                </li>
              ))}
            </ol>
          )}
          <div className="flex flex-wrap gap-2">
            <Button
              kind="primary"
              busy={take.isPending}
              disabled={told.problems.length > 0}
              onClick={() => take.mutate({ file: held, goes, keep: true })}
            >{t`Import it`}</Button>
            <Button
              onClick={() => {
                setHeld(null)
                take.reset()
              }}
            >{t`Leave it`}</Button>
          </div>
        </section>
      )}
      {!held && told?.batch_id && (
        <p role="status" className="font-bold text-pass">{t`✓ Imported: ${told.told}.`}</p>
      )}
      <Imports onBack={take.reset} />
    </div>
  )
}

/** Lists that were brought in, each to be taken back. */
function Imports({ onBack }: { onBack: () => void }) {
  const cache = useQueryClient()
  const batches = useQuery({ queryKey: ['imports'], queryFn: () => answer(client.GET('/api/imports')) })
  const back = useMutation({
    mutationFn: (id: number) =>
      answer(client.POST('/api/imports/{batch_id}/take-back', { params: { path: { batch_id: id } } })),
    onSuccess: () => {
      onBack()
      cache.invalidateQueries()
    },
  })
  if (!batches.data || batches.data.length === 0) return null
  return (
    <section aria-label={t`Imports`}>
      <h3 className="font-bold">{t`Imported before`}</h3>
      <ProblemNote problem={problemOf(back.error)} />
      {back.data && (
        <div role="status" className="border-l-[7px] border-line bg-field p-3">
          <p className="font-bold">
            {back.data.kept.length > 0
              ? t`${back.data.back} taken back; this stays:`
              : t`${back.data.back} taken back.`}
          </p>
          <ul className="list-disc pl-5">
            {back.data.kept.map((k) => (
              <li key={k}>{k}</li>
            ))}
          </ul>
        </div>
      )}
      <ul>
        {batches.data.map((b) => (
          <li key={b.id} className="flex flex-wrap items-center gap-x-3 border-b border-faint py-2">
            <span className="min-w-0 flex-1">
              <b>{b.kind[0]?.toUpperCase() + b.kind.slice(1)}</b>: {b.told}
              <span className="block text-sm text-soft">
                {b.person}, {day(b.made_at)} {clock(b.made_at)}
                {b.undone_at &&
                  t` · taken back by ${b.undone_by ?? ''}, ${day(b.undone_at)} ${clock(b.undone_at)}`}
              </span>
            </span>
            {!b.undone_at && (
              <Button
                className="px-3 text-sm"
                busy={back.isPending && back.variables === b.id}
                aria-label={t`Take back ${b.kind}: ${b.told}`}
                onClick={() => back.mutate(b.id)}
              >{t`Take back`}</Button>
            )}
          </li>
        ))}
      </ul>
    </section>
  )
}
