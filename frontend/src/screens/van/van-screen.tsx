import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, at, client, problemOf, type Schemas } from '../../api/client'
import { usePeople, usePrice } from '../../api/queries'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { FigureField } from '../../parts/field'
import { Form } from '../../parts/figures'
import { asFile, FilePick } from '../../parts/file-pick'
import { FindHead } from '../../parts/find-head'
import { ProblemNote } from '../../parts/problem'
import { Sheet } from '../../parts/sheet'
import { usePerson } from '../../parts/who'
import { parseFigure } from '../../quantities/figure'
import { day } from '../../quantities/format'

/** What a technician carries, what to restock, and the parts lists. */
export function VanScreen() {
  const { person } = usePerson()
  const people = usePeople()
  // A lead or a helper may drive a van as well: those who do most stand first.
  const technicians = [...(people.data ?? [])].sort(
    (a, b) => Number(b.role === 'technician') - Number(a.role === 'technician'),
  )
  const mine = technicians.some((p) => p.id === person?.id) ? person?.id : technicians[0]?.id
  const [holder, setHolder] = useState<number | null>(null)
  const [view, setView] = useState('van')
  const [find, setFind] = useState('')
  const id = holder ?? mine ?? null
  return (
    <div className="mx-auto grid max-w-5xl gap-3 p-3 sm:p-5">
      <FindHead title={t`Van`} label={t`Find a part`} hint={t`Find a part`} find={find} onFind={setFind} />
      <div className="flex flex-wrap gap-4">
        <Choice
          label={t`Show`}
          hideLabel
          value={view}
          onChange={setView}
          options={[
            { value: 'van', label: t`Carried` },
            { value: 'restock', label: t`Restock` },
            { value: 'list', label: t`Parts lists` },
          ]}
        />
        {view !== 'list' && (
          <Choice
            label={t`Whose van`}
            hideLabel
            value={String(id ?? '')}
            onChange={(v) => setHolder(Number(v))}
            options={technicians.map((p) => ({ value: String(p.id), label: p.name }))}
          />
        )}
      </div>
      {view === 'list' ? (
        <PartsLists find={find} holder={id} />
      ) : (
        id !== null && <OneVan id={id} view={view} find={find} />
      )}
    </div>
  )
}

function OneVan({ id, view, find }: { id: number; view: string; find: string }) {
  const priced = usePrice()
  const van = useQuery({
    queryKey: ['van', id],
    queryFn: () => answer(client.GET('/api/vans/{person_id}', { params: { path: { person_id: id } } })),
  })
  const [open, setOpen] = useState<Schemas['VanLine'] | null>(null)
  if (van.error) return <ProblemNote problem={problemOf(van.error)} onRetry={() => van.refetch()} />
  if (!van.data) return <p>{t`Opening…`}</p>
  const rows = (view === 'restock' ? van.data.restock : van.data.lines).filter((l) => matches(l.part, find))
  const kinds = [...new Set(rows.map((l) => l.kind_word))]
  return (
    <>
      {view === 'restock' && (
        <p>
          {van.data.restock.length === 0 ? (
            t`Nothing to restock.`
          ) : (
            <>
              {t`${van.data.restock.length} short`}
              {van.data.restock_cost !== null && (
                <span className="figure">{t`· ${priced(van.data.restock_cost)} in all`}</span>
              )}{' '}
              · <a className="underline" href={at(`/api/vans/${id}/restock.csv`)}>{t`as CSV`}</a>
            </>
          )}
        </p>
      )}
      {rows.length === 0 && view === 'van' && <p>{t`None of that on this van.`}</p>}
      {kinds.map((kind) => (
        <section key={kind} aria-label={kind}>
          <h2 className="border-b-2 border-ink font-bold">{kind}</h2>
          <ul>
            {rows
              .filter((l) => l.kind_word === kind)
              .map((l) => (
                <li key={l.part.part} className="flex flex-wrap items-center gap-x-3 border-b border-faint">
                  <span className="figure w-24 shrink-0 text-sm break-words text-soft">{l.part.part}</span>
                  <span className="min-w-0 flex-1 basis-40">{l.part.title}</span>
                  <span
                    className={`figure shrink-0 ${l.short ? 'font-bold text-watch' : ''}`}
                  >{t`${l.short ? '△ ' : ''}${l.count} of ${l.want}`}</span>
                  <Button
                    kind="quiet"
                    className="shrink-0 px-2"
                    aria-label={t`Change ${l.part.title}`}
                    onClick={() => setOpen(l)}
                  >{t`Change`}</Button>
                </li>
              ))}
          </ul>
        </section>
      ))}
      {view === 'van' && (
        <section aria-label={t`Moves`}>
          <h2 className="border-b-2 border-ink font-bold">{t`Last moves`}</h2>
          <ul>
            {van.data.moves.slice(0, 12).map((m) => (
              <li
                key={m.part + m.moved_at + m.count}
                className="flex flex-wrap gap-x-3 border-b border-faint py-1"
              >
                <span className="figure w-10 text-right">{m.count > 0 ? `+${m.count}` : m.count}</span>
                <span>{m.title}</span>
                <span className="text-soft">
                  {m.reason.replace('_', ' ')}
                  {m.call_id ? t` on call ${m.call_id}` : ''}, {m.person}, {day(m.moved_at)}
                </span>
              </li>
            ))}
          </ul>
        </section>
      )}
      <Sheet open={open !== null} onOpenChange={(o) => !o && setOpen(null)} title={open?.part.title ?? ''}>
        {open && <ChangeLine id={id} line={open} onDone={() => setOpen(null)} />}
      </Sheet>
    </>
  )
}

function matches(part: Schemas['Part'], find: string): boolean {
  const text = `${part.part} ${part.title}`.toLowerCase()
  return find
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word))
}

function ChangeLine({ id, line, onDone }: { id: number; line: Schemas['VanLine']; onDone: () => void }) {
  const cache = useQueryClient()
  const [reason, setReason] = useState('restocked')
  const [count, setCount] = useState(String(line.short || 1))
  const [want, setWant] = useState(String(line.want))
  const params = { path: { person_id: id } }
  const done = (van: Schemas['Van']) => {
    cache.setQueryData(['van', id], van)
    cache.invalidateQueries({ queryKey: ['parts'] })
    onDone()
  }
  const move = useMutation({
    mutationFn: () =>
      answer(
        client.POST('/api/vans/{person_id}/moves', {
          params,
          body: { part: line.part.part, count: parseFigure(count) as number, reason: reason as 'counted' },
        }),
      ),
    onSuccess: done,
  })
  const keep = useMutation({
    mutationFn: () =>
      answer(
        client.PUT('/api/vans/{person_id}/wants', {
          params,
          body: { part: line.part.part, want: parseFigure(want) as number, was: line.want },
        }),
      ),
    onError: () => cache.invalidateQueries({ queryKey: ['van', id] }),
    onSuccess: done,
  })
  return (
    <div className="grid gap-4">
      <Choice
        label={t`What happened`}
        value={reason}
        onChange={setReason}
        options={[
          { value: 'restocked', label: t`Put in` },
          { value: 'moved_out', label: t`Taken out` },
          { value: 'counted', label: t`Counted: on hand` },
        ]}
      />
      <Form label={t`How many`} className="grid gap-4" onSubmit={() => move.mutate()}>
        <FigureField label={t`How many`} value={count} onChange={setCount} />
        <ProblemNote problem={problemOf(move.error ?? keep.error)} />
        <Button kind="primary" type="submit" busy={move.isPending} disabled={!count.trim()}>{t`Save`}</Button>
      </Form>
      <Form
        label={t`Stock level`}
        className="grid grid-cols-[1fr_auto] items-end gap-2 border-t border-faint pt-3"
        onSubmit={() => keep.mutate()}
      >
        <FigureField label={t`Stock level`} value={want} onChange={setWant} />
        <Button type="submit" busy={keep.isPending} disabled={!want.trim()}>{t`Set`}</Button>
      </Form>
    </div>
  )
}

function PartsLists({ find, holder }: { find: string; holder: number | null }) {
  const { person } = usePerson()
  const cache = useQueryClient()
  const may = person?.role === 'lead' || person?.role === 'office'
  const parts = useQuery({ queryKey: ['parts'], queryFn: () => answer(client.GET('/api/parts')) })
  const [done, setDone] = useState<Schemas['Imported'] | null>(null)
  const [held, setHeld] = useState<File | null>(null)
  const take = useMutation({
    mutationFn: ({ file, keep }: { file: File; keep: boolean }) =>
      answer(client.POST('/api/parts/import', { params: { query: { keep } }, ...asFile(file, 'text/csv') })),
    onSuccess: (told, { file }) => {
      setDone(told)
      setHeld(told.done ? null : file)
      if (!told.done) return
      cache.invalidateQueries({ queryKey: ['parts'] })
      cache.invalidateQueries({ queryKey: ['van'] })
      cache.invalidateQueries({ queryKey: ['imports'] })
    },
  })
  const rows = parts.data?.filter((p) => matches(p.part, find)) ?? []
  const kinds = [...new Set(rows.map((p) => p.kind_word))]
  return (
    <div className="grid gap-3">
      <div className="flex flex-wrap items-center gap-3">
        <a
          className="inline-flex min-h-11 items-center underline"
          href={at('/api/parts.csv')}
        >{t`Whole list as CSV`}</a>
        <a
          className="inline-flex min-h-11 items-center underline"
          href={at('/api/parts.csv?own_only=true')}
        >{t`The shop's own`}</a>
        {may ? (
          <FilePick
            label={t`Import a CSV`}
            accept=".csv,text/csv"
            busy={take.isPending}
            onFile={(file) => {
              setDone(null)
              take.mutate({ file, keep: false })
            }}
          />
        ) : (
          <span className="text-soft">{t`The lead or the office imports lists and sets prices.`}</span>
        )}
      </div>
      {done && (
        <div role="status" className="font-bold">
          {held
            ? t`Would add ${done.added}, replace ${done.replaced}, price ${done.priced}.`
            : t`${done.added} added, ${done.replaced} replaced, ${done.priced} priced.`}
          {!held && t` Shop lists it, to be taken back.`}
          {held && (
            <span className="flex gap-2 pt-2">
              <Button
                kind="primary"
                busy={take.isPending}
                onClick={() => take.mutate({ file: held, keep: true })}
              >{t`Import it`}</Button>
              <Button
                onClick={() => {
                  setHeld(null)
                  setDone(null)
                }}
              >{t`Leave it`}</Button>
            </span>
          )}
        </div>
      )}
      <ProblemNote problem={problemOf(take.error ?? parts.error)} />
      {kinds.map((kind) => (
        <section key={kind} aria-label={kind}>
          <h2 className="border-b-2 border-ink font-bold">{kind}</h2>
          <ul>
            {rows
              .filter((p) => p.kind_word === kind)
              .map((p) => (
                <PartLine key={p.part.part} row={p} may={may} holder={holder} />
              ))}
          </ul>
        </section>
      ))}
      <Columns />
    </div>
  )
}

function PartLine({ row, may, holder }: { row: Schemas['PartOut']; may: boolean; holder: number | null }) {
  const priced = usePrice()
  const cache = useQueryClient()
  const [carrying, setCarrying] = useState(false)
  const van = useQuery({
    queryKey: ['van', holder],
    enabled: carrying && holder !== null,
    queryFn: () =>
      answer(client.GET('/api/vans/{person_id}', { params: { path: { person_id: holder as number } } })),
  })
  const carried = van.data?.lines.find((l) => l.part.part === row.part.part)
  const [open, setOpen] = useState(false)
  const [price, setPrice] = useState(row.price === null ? '' : String(row.price))
  const set = useMutation({
    mutationFn: () =>
      answer(
        client.PUT('/api/parts/{part}/price', {
          params: { path: { part: row.part.part } },
          body: { price: parseFigure(price) as number, was: row.price ?? 0 },
        }),
      ),
    // Set by another person meanwhile: what is there now is shown, and is what the next try starts from.
    onError: () => cache.invalidateQueries({ queryKey: ['parts'] }),
    onSuccess: (list) => {
      cache.setQueryData(['parts'], list)
      setOpen(false)
    },
  })
  return (
    <li className="flex flex-wrap items-center gap-x-3 border-b border-faint py-1">
      <span className="figure w-28 shrink-0 text-sm text-soft">{row.part.part}</span>
      <span className="min-w-0 flex-1 basis-48">
        {row.part.title}
        {row.own_list && <span className="text-sm text-orange-ink">{t`· the shop's own`}</span>}
      </span>
      <span className="figure text-sm text-soft">{t`${row.in_vans} in vans`}</span>
      <span className="figure w-16 text-right">{row.price === null ? t`no price` : priced(row.price)}</span>
      {holder !== null && (
        <>
          <Button
            kind="quiet"
            className="px-2"
            aria-label={t`${row.part.part} on a van`}
            onClick={() => setCarrying(true)}
          >{t`On a van`}</Button>
          <Sheet
            open={carrying && van.data !== undefined}
            onOpenChange={setCarrying}
            title={t`${row.part.title}, van of ${van.data?.holder ?? ''}`}
          >
            <ChangeLine
              id={holder}
              // A part this van never carried begins with none of it.
              line={
                carried ?? {
                  part: row.part,
                  kind_word: row.kind_word,
                  count: 0,
                  want: 0,
                  short: 0,
                  price: row.price,
                  aid: null,
                }
              }
              onDone={() => setCarrying(false)}
            />
          </Sheet>
        </>
      )}
      {may && (
        <>
          <Button
            kind="quiet"
            className="px-2"
            aria-label={t`Price of ${row.part.part}`}
            onClick={() => setOpen(true)}
          >{t`Price`}</Button>
          <Sheet open={open} onOpenChange={setOpen} title={row.part.title}>
            <Form label={t`Price`} className="grid gap-3" onSubmit={() => set.mutate()}>
              <FigureField label={t`Price`} value={price} onChange={setPrice} />
              <ProblemNote problem={problemOf(set.error)} />
              <Button
                kind="primary"
                type="submit"
                busy={set.isPending}
                disabled={!price.trim()}
              >{t`Set the price`}</Button>
            </Form>
          </Sheet>
        </>
      )}
    </li>
  )
}

function Columns() {
  const columns = useQuery({
    queryKey: ['part-columns'],
    queryFn: () => answer(client.GET('/api/parts/columns')),
    staleTime: Number.POSITIVE_INFINITY,
  })
  return (
    <details>
      <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`Columns of a parts list`}</summary>
      <ul>
        {columns.data?.map((c) => (
          <li key={c.name} className="grid gap-x-3 border-b border-faint py-1 sm:grid-cols-[11rem_1fr_1fr]">
            <span className="figure">{c.name}</span>
            <span>{c.meaning}</span>
            <span className="text-soft">
              {c.wanted}
              {c.required_for.length > 0 &&
                t` · needed for ${c.required_for.length > 10 ? t`all` : c.required_for.map((k) => k.replaceAll('_', ' ')).join(', ')}`}
            </span>
          </li>
        ))}
      </ul>
    </details>
  )
}
