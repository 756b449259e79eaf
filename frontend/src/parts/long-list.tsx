import { type ComponentType, lazy, type ReactNode, Suspense } from 'react'
import { early } from './early'

const LONG = 100
const VirtualList = lazy(early(() => import('./virtual-list')))

export type LongListProps<T> = {
  rows: T[]
  keyOf: (row: T) => string | number
  children: (row: T) => ReactNode
  /** Called when the end comes near. */
  onEnd?: (() => void) | undefined
  className?: string
}

/** A list of any length: of a long one only what is near the eye is drawn. Its end requests more. */
export function LongList<T>(props: LongListProps<T>) {
  const { rows, keyOf, children, className } = props
  const few = (
    <ul className={className}>
      {rows.slice(0, LONG).map((row) => (
        <li key={keyOf(row)} className="border-b border-faint">
          {children(row)}
        </li>
      ))}
    </ul>
  )
  if (rows.length <= LONG) return few
  const Long = VirtualList as unknown as ComponentType<LongListProps<T>>
  return (
    <Suspense fallback={few}>
      <Long {...props} />
    </Suspense>
  )
}
