import { t } from '@lingui/core/macro'
import MiniSearch from 'minisearch'
import type { At, Book } from './book'

export type Hit = { id: string; title: string; text: string; of: string; at: At }

/** Markdown without its signs, for a line of a list. */
export function plain(text: string): string {
  return text
    .replaceAll(/[*`]/g, '')
    .replaceAll(/^\s*- /gm, '')
    .replaceAll(/\s+/g, ' ')
    .trim()
}

/** An index of every section and every word, made in the browser: it answers without a network. */
export function indexOf(book: Book): (asked: string) => Hit[] {
  const hits: Hit[] = [
    ...book.terms.map((term) => ({
      id: `term ${term.term}`,
      title: [term.term, ...(term.also ?? [])].join(', '),
      text: term.meaning,
      of: t`Words`,
      at: { page: term.page },
    })),
    ...book.pages.flatMap((p) => [
      { id: p.id, title: p.title, text: plain(p.lead), of: t`Handbook`, at: { page: p.id } },
      ...p.sections.map((s) => ({
        id: `${p.id} ${s.id}`,
        title: s.title,
        text: plain(s.text),
        of: p.title,
        at: { page: p.id, section: s.id },
      })),
    ]),
  ]
  const index = new MiniSearch<Hit>({
    fields: ['title', 'text'],
    searchOptions: {
      boost: { title: 3 },
      prefix: true,
      fuzzy: 0.15,
      combineWith: 'AND',
      // A word's own meaning comes before what else is said with it.
      boostDocument: (id) => (String(id).startsWith('term ') ? 2 : 1),
    },
  })
  index.addAll(hits)
  const byId = new Map(hits.map((h) => [h.id, h]))
  return (asked) =>
    index
      .search(asked)
      .slice(0, 20)
      .flatMap((r) => byId.get(String(r.id)) ?? [])
}
