import { t } from '@lingui/core/macro'
import { Dialog } from 'radix-ui'
import './nonce'
import { useEffect, useRef } from 'react'
import type { SheetProps } from './sheet'

/** A plate laid over the page: square, ruled, closed by Esc or its own key. */
export default function SheetDialog({ open, onOpenChange, title, note, children }: SheetProps) {
  const close = useRef(onOpenChange)
  close.current = onOpenChange
  useEffect(() => {
    // The phone's back closes what lies on top, and nothing under it.
    const mark = `${performance.now()}`
    history.pushState({ ...history.state, sheet: mark }, '')
    let left = false
    const back = () => {
      left = true
      close.current(false)
    }
    window.addEventListener('popstate', back)
    return () => {
      window.removeEventListener('popstate', back)
      // Closed in another way: its step in the history goes too, unless the page has moved on.
      if (!left && history.state?.sheet === mark) history.back()
    }
  }, [])
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/60" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-50 max-h-[92dvh] w-[min(36rem,94vw)] -translate-x-1/2 -translate-y-1/2 overflow-y-auto border-2 border-ink bg-plane"
        >
          <div className="sticky top-0 z-10 flex items-center justify-between border-b-2 border-ink bg-plane px-4 py-1">
            <Dialog.Title className="text-lg font-bold">{title}</Dialog.Title>
            <Dialog.Close className="min-h-11 px-3 underline underline-offset-4">{t`Close`}</Dialog.Close>
          </div>
          <div className="p-4">
            {note && <p className="pb-3 text-soft">{note}</p>}
            {children}
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
