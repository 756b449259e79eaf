import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { Button } from '../../parts/button'

/** An example while nothing was typed; else a way to begin again, and back again. */
export function ExampleOrClear<T extends object>({
  d,
  nothing,
  example,
  change,
  clear,
}: {
  d: T
  nothing: T
  example: Partial<T>
  change: (part: Partial<T>) => void
  clear: () => void
}) {
  const [before, setBefore] = useState<T | null>(null)
  const untouched = JSON.stringify(d) === JSON.stringify(nothing)
  return (
    <div className="flex flex-wrap gap-2">
      {untouched ? (
        <Button onClick={() => change(example)}>{t`Fill in an example`}</Button>
      ) : (
        <Button
          onClick={() => {
            setBefore(d)
            clear()
          }}
        >{t`Clear all`}</Button>
      )}
      {untouched && before && <Button onClick={() => change(before)}>{t`Undo clear`}</Button>}
    </div>
  )
}
