import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { Tick } from './field'
import { setSingleKeys, singleKeysOn } from './keys-setting'

const MAP: { keys: string[]; does: string }[] = [
  { keys: ['1', '…', '9', '0'], does: t`Open that rung of the call (0 is the tenth)` },
  { keys: ['n'], does: t`New reading on the call; new call on the list` },
  { keys: ['/'], does: t`Find` },
  { keys: [t`Enter`], does: t`Next field; save from the last one` },
  { keys: [t`Esc`], does: t`Close the top sheet` },
  { keys: ['?'], does: t`This list` },
]

/** Every key there is, and whether single letters are shortcuts. */
export function KeySheet({ places }: { places: { key: string; word: string }[] }) {
  const [single, setSingle] = useState(singleKeysOn)
  const goes = places.map(({ key, word }) => ({ keys: ['g', key], does: t`Go to ${word}` }))
  return (
    <>
      <Tick
        checked={single}
        onChange={(on) => {
          setSingleKeys(on)
          setSingle(on)
        }}
      >{t`Single letters are shortcuts`}</Tick>
      <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-2">
        {[...goes, ...MAP].map((row) => (
          <div key={row.does} className="contents">
            <dt className="whitespace-nowrap">
              {row.keys.map((k) => (
                <kbd key={k} className="key mr-1">
                  {k}
                </kbd>
              ))}
            </dt>
            <dd>{row.does}</dd>
          </div>
        ))}
      </dl>
    </>
  )
}
