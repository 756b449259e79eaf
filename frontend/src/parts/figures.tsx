import { t } from '@lingui/core/macro'
import { type FormEvent, type ReactNode, useCallback, useMemo, useRef, useState } from 'react'
import { enterToNext, FigureContext, TriedContext } from './field'
import { useReadOnly } from './read-only'

export type WrongFigure = { id: string; label: string; why: string }

/** Gather what the figure fields within say; while any is wrong nothing is computed and nothing saved. */
export function useFigures() {
  const [wrong, setWrong] = useState<WrongFigure[]>([])
  const report = useCallback((id: string, said: Omit<WrongFigure, 'id'> | null) => {
    setWrong((old) => {
      const others = old.filter((w) => w.id !== id)
      if (said === null) return others.length === old.length ? old : others
      const same = old.find((w) => w.id === id)
      return same?.why === said.why ? old : [...others, { id, ...said }]
    })
  }, [])
  return useMemo(() => ({ wrong, report, whole: wrong.length === 0 }), [wrong, report])
}

export type Figures = ReturnType<typeof useFigures>

export function FigureScope({ figures, children }: { figures: Figures; children: ReactNode }) {
  return <FigureContext.Provider value={figures.report}>{children}</FigureContext.Provider>
}

/** Said where an answer would stand, while a figure cannot be read. */
export function NotComputed({ figures }: { figures: Figures }) {
  if (figures.whole) return null
  return (
    <p
      role="status"
      className="border-l-[7px] border-watch bg-field p-3"
    >{t`△ Not computed. Fix: ${figures.wrong.map((w) => w.label).join(', ')}.`}</p>
  )
}

/** A form of figures: Enter leads on, a figure that cannot be read keeps it from being sent; a closed call has none. */
export function Form({
  onSubmit,
  children,
  className,
  label,
  figures: outer,
}: {
  onSubmit: (event: FormEvent) => void
  children: ReactNode
  className?: string
  label?: string
  /** Given where something is computed while it is typed. */
  figures?: Figures
}) {
  const own = useFigures()
  const figures = outer ?? own
  const box = useRef<HTMLFormElement>(null)
  const [tried, setTried] = useState(false)
  if (useReadOnly()) return null
  return (
    <FigureScope figures={figures}>
      <form
        ref={box}
        noValidate
        aria-label={label}
        className={className}
        onKeyDown={enterToNext}
        onSubmit={(event) => {
          event.preventDefault()
          setTried(!figures.whole)
          if (!figures.whole) {
            box.current?.querySelector<HTMLInputElement>('[aria-invalid=true]')?.focus()
            return
          }
          onSubmit(event)
        }}
      >
        <TriedContext.Provider value={tried}>{children}</TriedContext.Provider>
      </form>
    </FigureScope>
  )
}
