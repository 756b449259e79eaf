import { t } from '@lingui/core/macro'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, at, client, problemOf, type Schemas } from '../../api/client'
import { Button } from '../../parts/button'
import { asFile, FilePick } from '../../parts/file-pick'
import { ProblemNote } from '../../parts/problem'

const words = (table: string) => table.replaceAll('_', ' ')

/** A month as 2026-11, so many back from this one. */
function monthBack(back: number): string {
  const now = new Date()
  const then = new Date(now.getFullYear(), now.getMonth() - back, 1)
  return `${then.getFullYear()}-${String(then.getMonth() + 1).padStart(2, '0')}`
}

/** The whole shop out as open files; an archive in, shown before anything is kept. */
export function Archives() {
  const cache = useQueryClient()
  const [sent, setSent] = useState<Schemas['ArchiveSent'] | null>(null)
  const send = useMutation({
    mutationFn: (file: File) => answer(client.POST('/api/archives', asFile(file, 'application/zip'))),
    onSuccess: setSent,
  })
  const keep = useMutation({
    mutationFn: (id: string) =>
      answer(client.POST('/api/archives/{upload_id}/keep', { params: { path: { upload_id: id } } })),
    onSuccess: () => {
      setSent(null)
      return cache.invalidateQueries()
    },
  })
  const brings = Object.entries(sent?.report.new ?? {})
  return (
    <div className="grid gap-3 py-2">
      <p className="text-soft">{t`Everything in open files: JSON with a published schema, plus pictures and recordings. A shop's archive goes into an empty shop; one unit's archive (on its page) goes into any shop. Measurements are never deleted, so an imported archive cannot be taken back.`}</p>
      <div className="flex flex-wrap items-center gap-4">
        <a
          className="inline-flex min-h-11 items-center underline underline-offset-4"
          href={at('/api/archive.zip')}
        >{t`Whole shop as an archive`}</a>
        {[0, 1].map((back) => (
          <a
            key={back}
            className="inline-flex min-h-11 items-center underline underline-offset-4"
            href={at(`/api/bills.csv?month=${monthBack(back)}`)}
          >{t`Bills of ${monthBack(back)} as CSV`}</a>
        ))}
        <FilePick
          label={t`Import an archive`}
          accept=".zip,application/zip"
          busy={send.isPending}
          onFile={(file) => {
            setSent(null)
            keep.reset()
            send.mutate(file)
          }}
        />
      </div>
      {send.isPending && <p role="status">{t`Looking at it…`}</p>}
      <ProblemNote problem={problemOf(send.error) ?? problemOf(keep.error)} />
      {sent && (
        <section aria-label={t`What it would add`} className="border-2 border-line bg-field p-3">
          <p className="font-bold">
            {sent.report.shop || t`A shop`}: {brings.length === 0 ? t`nothing new` : t`it would add`}
            {sent.report.known > 0 && t`, ${sent.report.known} rows are here already`}
          </p>
          <ul className="list-disc pl-5">
            {brings.map(([table, count]) => (
              <li key={table}>
                {count} × {words(table)}
              </li>
            ))}
          </ul>
          <div className="flex gap-2 pt-2">
            <Button
              kind="primary"
              busy={keep.isPending}
              disabled={brings.length === 0}
              onClick={() => keep.mutate(sent.upload_id)}
            >{t`Import it`}</Button>
            <Button onClick={() => setSent(null)}>{t`Leave it`}</Button>
          </div>
        </section>
      )}
      {keep.isSuccess && <p role="status" className="font-bold text-pass">{t`✓ Imported.`}</p>}
    </div>
  )
}
