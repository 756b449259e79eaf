import { t } from '@lingui/core/macro'
import { Popover } from 'radix-ui'
import '../parts/nonce'
import { Fragment, useMemo } from 'react'
import { Link } from 'react-router'
import type { Schemas } from '../api/client'
import { useBook } from './book'

type Term = Schemas['Term']

/** Names that are ordinary words too are explained in the handbook, not on every screen. */
const PLAIN = new Set(['amps', 'coil', 'fan', 'lot', 'interval', 'rest', 'dip', 'sag', 'breaker', 'a'])

/** Cut a text at the words that can be explained; each is marked where it stands first. */
export function cutAtTerms(text: string, terms: Term[]): (string | { said: string; term: Term })[] {
  const byName = new Map<string, Term>()
  for (const term of terms)
    for (const name of [term.term, ...(term.also ?? [])])
      if (!PLAIN.has(name.toLowerCase())) byName.set(name.toLowerCase(), term)
  const names = [...byName.keys()].sort((a, b) => b.length - a.length)
  if (names.length === 0) return [text]
  const escaped = names.map((n) => n.replaceAll(/[.*+?^${}()|[\]\\]/g, '\\$&'))
  const word = new RegExp(`(?<![\\p{L}\\d])(?:${escaped.join('|')})s?(?![\\p{L}\\d])`, 'giu')
  const parts: (string | { said: string; term: Term })[] = []
  const met = new Set<Term>()
  let last = 0
  for (const hit of text.matchAll(word)) {
    const said = hit[0]
    const term = byName.get(said.toLowerCase()) ?? byName.get(said.toLowerCase().replace(/s$/, ''))
    // What is written in capitals is meant so: a "fan" is no FAN.
    if (!term || met.has(term)) continue
    met.add(term)
    if (hit.index > last) parts.push(text.slice(last, hit.index))
    parts.push({ said, term })
    last = hit.index + said.length
  }
  if (last < text.length) parts.push(text.slice(last))
  return parts
}

/** A text whose words of the trade are explained by a tap. */
export function Termed({ text }: { text: string }) {
  const book = useBook()
  const parts = useMemo(() => (book.data ? cutAtTerms(text, book.data.terms) : [text]), [text, book.data])
  return parts.map((part, i) =>
    typeof part === 'string' ? (
      // biome-ignore lint/suspicious/noArrayIndexKey: the pieces of one text stay in their order
      <Fragment key={i}>{part}</Fragment>
    ) : (
      <Explained key={part.term.term} said={part.said} term={part.term} />
    ),
  )
}

function Explained({ said, term }: { said: string; term: Term }) {
  return (
    <Popover.Root>
      <Popover.Trigger className="underline decoration-dotted underline-offset-4">{said}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          collisionPadding={12}
          sideOffset={6}
          aria-label={term.term}
          className="z-[60] max-w-[min(22rem,92vw)] border-2 border-ink bg-field p-3 text-base text-ink"
        >
          <p>
            <b>{[term.term, ...(term.also ?? [])].join(', ')}</b>
          </p>
          <p>{term.meaning}</p>
          <Link
            to={`/handbook/${term.page}`}
            className="inline-block py-2 underline underline-offset-4"
          >{t`More in the handbook`}</Link>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
