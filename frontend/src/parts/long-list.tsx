import { useVirtualizer } from '@tanstack/react-virtual'
import { type ReactNode, useEffect, useRef, useState } from 'react'

const LONG = 100

/** The element that scrolls a thing: the page's main part, or what stands round it where the text is very large. */
function scrollerOf(thing: HTMLElement | null): HTMLElement | null {
  for (let at = thing?.parentElement ?? null; at; at = at.parentElement)
    if (/auto|scroll/.test(getComputedStyle(at).overflowY)) return at
  return document.documentElement
}

/** A list of any length: of a long one only what is near the eye is drawn. Its end asks for more. */
export function LongList<T>({
  rows,
  keyOf,
  children,
  onEnd,
  className,
}: {
  rows: T[]
  keyOf: (row: T) => string | number
  children: (row: T) => ReactNode
  /** Called when the end comes near. */
  onEnd?: (() => void) | undefined
  className?: string
}) {
  const list = useRef<HTMLUListElement>(null)
  const [scroller, setScroller] = useState<HTMLElement | null>(null)
  const [above, setAbove] = useState(0)
  const long = rows.length > LONG
  // biome-ignore lint/correctness/useExhaustiveDependencies: measured anew where the list becomes long
  useEffect(() => {
    const found = scrollerOf(list.current)
    setScroller(found)
    if (found && list.current)
      setAbove(list.current.getBoundingClientRect().top - found.getBoundingClientRect().top + found.scrollTop)
  }, [long])
  const drawn = useVirtualizer({
    count: long ? rows.length : 0,
    getScrollElement: () => scroller,
    estimateSize: () => 66,
    overscan: 12,
    scrollMargin: above,
    getItemKey: (i) => keyOf(rows[i] as T),
  })
  const items = drawn.getVirtualItems()
  const near = long ? (items.at(-1)?.index ?? 0) >= rows.length - 20 : false
  useEffect(() => {
    if (near) onEnd?.()
  }, [near, onEnd])
  if (!long)
    return (
      <ul ref={list} className={className}>
        {rows.map((row) => (
          <li key={keyOf(row)} className="border-b border-faint">
            {children(row)}
          </li>
        ))}
      </ul>
    )
  return (
    <ul ref={list} className={`relative ${className ?? ''}`} style={{ height: drawn.getTotalSize() }}>
      {items.map((item) => (
        <li
          key={item.key}
          data-index={item.index}
          ref={drawn.measureElement}
          aria-setsize={rows.length}
          aria-posinset={item.index + 1}
          className="absolute inset-x-0 top-0 border-b border-faint"
          style={{ transform: `translateY(${item.start - above}px)` }}
        >
          {children(rows[item.index] as T)}
        </li>
      ))}
    </ul>
  )
}
