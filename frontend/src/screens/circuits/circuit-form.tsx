import { t } from '@lingui/core/macro'
import { type ReactNode, useState } from 'react'
import type { Finding, Schemas } from '../../api/client'
import { useWide } from '../../parts/title'
import { OneLine, PARTS } from './one-line'
import { PartFields, type PartProps, type Station } from './parts-fields'

// By hand one reads the unit first; by the wire the panel comes first.
const BY_HAND: Station[] = ['unit', 'device', 'conductor', 'ground', 'raceway', 'disconnect']

/** The picture on top, its answer below it, then the same fields in a row for the keyboard; folded on a phone. */
export function CircuitForm({
  stations,
  findings,
  children,
  readOnly = false,
  ...props
}: PartProps & {
  /** A closed call: the picture opens to what was said of each part, and asks nothing. */
  readOnly?: boolean
  stations: Schemas['StationOut'][]
  findings: Finding[]
  /** The answer. */
  children: ReactNode
}) {
  const wide = useWide()
  const [open, setOpen] = useState<Station | null>(null)
  return (
    <div className="grid gap-4">
      <OneLine stations={stations} findings={findings} open={open} onOpen={setOpen}>
        {open && !readOnly && <PartFields station={open} {...props} />}
      </OneLine>
      {children}
      {!readOnly &&
        (wide ? (
          <AllFields open={open} {...props} />
        ) : (
          <details>
            <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`All fields`}</summary>
            <AllFields open={open} {...props} />
          </details>
        ))}
    </div>
  )
}

function AllFields({ open, ...props }: PartProps & { open: Station | null }) {
  return (
    <section aria-label={t`All fields`} className="grid gap-4">
      {BY_HAND.map((station) => (
        <fieldset key={station} className="grid gap-3">
          <legend className="mb-2 border-b-2 border-ink font-bold">
            {PARTS.find((p) => p.station === station)?.title}
          </legend>
          {open === station ? (
            <p className="text-soft">{t`Open in the picture above.`}</p>
          ) : (
            <PartFields station={station} {...props} />
          )}
        </fieldset>
      ))}
    </section>
  )
}
