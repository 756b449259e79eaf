import { t } from '@lingui/core/macro'
import { useEffect, useMemo, useRef, useState } from 'react'
import Markdown from 'react-markdown'
import { problemOf } from '../api/client'
import { TextField } from '../parts/field'
import { ProblemNote } from '../parts/problem'
import { type At, type BookPage, useBook } from './book'
import { indexOf } from './find'

/** A page's text as it is set. */
function Prose({ text }: { text: string }) {
  return (
    <div className="prose-oc max-w-[68ch] break-words">
      <Markdown>{text}</Markdown>
    </div>
  )
}

/**
 * The handbook: find, a page, the way to the others. It keeps no place of its own, so that it stands on a page of the
 * program or on a sheet over the work.
 */
export function Reader({
  at,
  onGo,
  only,
  using = [],
}: {
  at: At
  onGo: (at: At) => void
  /** Show these sections alone, with the way to their whole page. */
  only?: At[]
  /** Sections that say how the screen one stands on works. */
  using?: string[]
}) {
  const book = useBook()
  const [asked, setAsked] = useState('')
  const top = useRef<HTMLDivElement>(null)
  const moved = useRef(false)
  const find = useMemo(() => (book.data ? indexOf(book.data) : null), [book.data])
  const hits = asked.trim().length > 1 && find ? find(asked) : null
  // biome-ignore lint/correctness/useExhaustiveDependencies: a page opens at what was requested
  useEffect(() => {
    const section = at.section && document.getElementById(`book-${at.section}`)
    if (section) section.scrollIntoView({ block: 'start' })
    else if (moved.current) top.current?.scrollIntoView({ block: 'start' })
    moved.current = true
  }, [at.page, at.section, book.data])
  const go = (to: At) => {
    setAsked('')
    onGo(to)
  }
  if (!book.data)
    return book.isError ? (
      <ProblemNote problem={problemOf(book.error)} onRetry={() => book.refetch()} />
    ) : (
      <p>{t`Opening…`}</p>
    )
  const page = book.data.pages.find((p) => p.id === at.page)
  const how = book.data.pages.find((p) => p.id === 'using')?.sections.filter((s) => using.includes(s.id))
  return (
    <div ref={top} className="grid scroll-mt-16 gap-4">
      <search>
        <TextField label={t`Find in the handbook`} value={asked} onChange={setAsked} />
      </search>
      {hits ? (
        <Hits hits={hits} asked={asked} onGo={go} />
      ) : only ? (
        <Cited pages={book.data.pages} only={only} onGo={go} />
      ) : page ? (
        <>
          <article aria-label={page.title}>
            <h2 className="text-xl font-bold">{page.title}</h2>
            <Prose text={page.lead} />
            {page.sections.map((s) => (
              <section key={s.id} id={`book-${s.id}`} className="scroll-mt-16 pt-3">
                <h3 className="text-lg font-bold">{s.title}</h3>
                <Prose text={s.text} />
              </section>
            ))}
          </article>
          {how && how.length > 0 && page.id !== 'using' && (
            <section aria-label={t`This screen`} className="border-l-4 border-orange pl-3">
              <h2 className="text-lg font-bold">{t`This screen`}</h2>
              {how.map((s) => (
                <Prose key={s.id} text={s.text} />
              ))}
            </section>
          )}
          <Words terms={book.data.terms.filter((term) => term.page === page.id)} />
        </>
      ) : at.page === '' ? null : (
        <p>{t`No handbook page has this name. Pick one below, or search for a word.`}</p>
      )}
      <nav aria-label={t`Pages of the handbook`} className="border-t-2 border-ink pt-2">
        <ul className="columns-1 gap-4 sm:columns-2">
          {book.data.pages.map((p) => (
            <li key={p.id}>
              <button
                type="button"
                aria-current={p.id === at.page && !only ? 'page' : undefined}
                className="min-h-11 text-left underline underline-offset-4 aria-[current=page]:font-bold"
                onClick={() => go({ page: p.id })}
              >
                {p.title}
              </button>
            </li>
          ))}
        </ul>
      </nav>
    </div>
  )
}

function Hits({
  hits,
  asked,
  onGo,
}: {
  hits: ReturnType<ReturnType<typeof indexOf>>
  asked: string
  onGo: (at: At) => void
}) {
  if (hits.length === 0)
    return <p role="status">{t`Nothing in the handbook on “${asked}”. Try one word of it.`}</p>
  return (
    <ul aria-label={t`Found in the handbook`} className="divide-y divide-faint">
      {hits.map((h) => (
        <li key={h.id}>
          <button type="button" className="min-h-11 w-full py-2 text-left" onClick={() => onGo(h.at)}>
            <b className="underline underline-offset-4">{h.title}</b>{' '}
            <span className="text-sm text-soft">{h.of}</span>
            <span className="line-clamp-2 text-sm">{h.text}</span>
          </button>
        </li>
      ))}
    </ul>
  )
}

/** The sections a rule is explained by. */
function Cited({ pages, only, onGo }: { pages: BookPage[]; only: At[]; onGo: (at: At) => void }) {
  return (
    <>
      {only.map((c) => {
        const page = pages.find((p) => p.id === c.page)
        const section = page?.sections.find((s) => s.id === c.section)
        if (!page || !section) return null
        return (
          <section key={`${c.page} ${c.section}`} aria-label={section.title}>
            <h2 className="text-lg font-bold">{section.title}</h2>
            <Prose text={section.text} />
            <button
              type="button"
              className="min-h-11 underline underline-offset-4"
              onClick={() => onGo({ page: page.id, section: section.id })}
            >{t`Whole page: ${page.title}`}</button>
          </section>
        )
      })}
    </>
  )
}

function Words({ terms }: { terms: { term: string; also?: string[]; meaning: string }[] }) {
  if (terms.length === 0) return null
  return (
    <section aria-label={t`Words`}>
      <h2 className="border-b-2 border-ink text-lg font-bold">{t`Words`}</h2>
      <dl>
        {terms.map((term) => (
          <div key={term.term} className="grid gap-x-4 border-b border-faint py-1 sm:grid-cols-[11rem_1fr]">
            <dt className="font-bold">{[term.term, ...(term.also ?? [])].join(', ')}</dt>
            <dd>{term.meaning}</dd>
          </div>
        ))}
      </dl>
    </section>
  )
}
