import { lazy, type ReactNode, Suspense } from 'react'
import { early } from './early'

const load = early(() => import('./sheet-dialog'))
const SheetDialog = lazy(load)

export type SheetProps = {
  open: boolean
  onOpenChange: (open: boolean) => void
  title: string
  note?: string
  children: ReactNode
}

/** A plate laid over the page; its code comes once the first view stands. */
export function Sheet(props: SheetProps) {
  if (!props.open) return null
  return (
    <Suspense fallback={null}>
      <SheetDialog {...props} />
    </Suspense>
  )
}
