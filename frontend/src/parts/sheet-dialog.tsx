import { Dialog } from 'radix-ui'
import type { SheetProps } from './sheet'

/** A plate laid over the page: square, ruled, closed by Esc or its own key. */
export default function SheetDialog({ open, onOpenChange, title, note, children }: SheetProps) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/60" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-50 max-h-[92dvh] w-[min(36rem,94vw)] -translate-x-1/2 -translate-y-1/2 overflow-y-auto border-2 border-ink bg-plane"
        >
          <div className="flex items-center justify-between border-b-2 border-ink px-4 py-1">
            <Dialog.Title className="text-lg font-bold">{title}</Dialog.Title>
            <Dialog.Close className="min-h-11 px-3 underline underline-offset-4">Close</Dialog.Close>
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
