import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useRef, useState } from 'react'
import type { LongListProps } from './long-list'

/** The element that scrolls a thing: the page's main part, or what stands round it where the text is very large. */
function scrollerOf(thing: HTMLElement | null): HTMLElement | null {
  for (let at = thing?.parentElement ?? null; at; at = at.parentElement)
    if (/auto|scroll/.test(getComputedStyle(at).overflowY)) return at
  return document.documentElement
}

/** A long list: only what is near the eye is drawn. */
export default function VirtualList<T>({ rows, keyOf, children, onEnd, className }: LongListProps<T>) {
  const list = useRef<HTMLUListElement>(null)
  const [scroller, setScroller] = useState<HTMLElement | null>(null)
  const [above, setAbove] = useState(0)
  useEffect(() => {
    const found = scrollerOf(list.current)
    setScroller(found)
    if (found && list.current)
      setAbove(list.current.getBoundingClientRect().top - found.getBoundingClientRect().top + found.scrollTop)
  }, [])
  const drawn = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller,
    estimateSize: () => 66,
    overscan: 12,
    scrollMargin: above,
    getItemKey: (i) => keyOf(rows[i] as T),
  })
  const items = drawn.getVirtualItems()
  const near = (items.at(-1)?.index ?? 0) >= rows.length - 20
  useEffect(() => {
    if (near) onEnd?.()
  }, [near, onEnd])
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
