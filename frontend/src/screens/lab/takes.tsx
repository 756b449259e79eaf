import { t } from '@lingui/core/macro'
import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, client, problemOf, type Schemas } from '../../api/client'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { ProblemNote } from '../../parts/problem'
import { asStart, type ChosenAid, type Entry } from './lab-state'

type Sought = Schemas['TakeIn']['seek']
const ASKED: { seek: Sought; word: string }[] = [
  { seek: 'start_capacitor', word: t`Least start capacitor` },
  { seek: 'lowest_volts', word: t`Lowest volts` },
  { seek: 'highest_start_torque', word: t`Highest pressure` },
  { seek: 'smallest_source', word: t`Smallest generator` },
]

/** What would it take: halved down to the least that still starts. */
export function Takes({ base, aids }: { base: Entry; aids: ChosenAid[] }) {
  const [which, setWhich] = useState<string | null>(null)
  const chosen = aids.find((a) => a.label === which) ?? aids[0]
  const [answers, setAnswers] = useState<{ about: string; seek: Sought; out: Schemas['TakeOut'] }[]>([])
  const ask = useMutation({
    mutationFn: (seek: Sought) =>
      answer(
        client.POST('/api/calc/start-takes', {
          body: {
            start: asStart({ ...base, aid: chosen?.aid ?? {}, trace: false }),
            seek,
          } as Schemas['TakeIn'],
        }),
      ),
    onSuccess: (out, seek) =>
      setAnswers((old) => [
        { about: chosen?.label ?? '', seek, out },
        ...old.filter((a) => a.seek !== seek || a.about !== chosen?.label),
      ]),
  })
  const shape = JSON.stringify([base, aids])
  const [asked, setAsked] = useState(shape)
  if (asked !== shape) {
    // An answer belongs to the condition it was requested.
    setAsked(shape)
    setAnswers([])
  }
  return (
    <section aria-label={t`What would it take`} className="pt-4">
      <h2 className="border-b-2 border-ink font-bold">{t`What would it take?`}</h2>
      {aids.length > 1 && (
        <div className="pt-2">
          <Choice
            label={t`For`}
            value={chosen?.label ?? ''}
            onChange={setWhich}
            options={aids.map((a) => ({ value: a.label, label: a.label }))}
          />
        </div>
      )}
      <div className="flex flex-wrap gap-2 pt-2">
        {ASKED.map((a) => (
          <Button key={a.seek} disabled={!chosen || ask.isPending} onClick={() => ask.mutate(a.seek)}>
            {a.word}
          </Button>
        ))}
      </div>
      <ProblemNote problem={problemOf(ask.error)} />
      <ul aria-live="polite">
        {answers.map((a) => (
          <li key={`${a.about} ${a.seek}`} className="border-b border-faint py-2">
            <p className={a.out.found ? '' : 'text-fail'}>
              {a.seek !== 'start_capacitor' && <b>{a.about}: </b>}
              {a.out.text}
            </p>
            <p className="text-sm text-soft">{t`${a.out.tried.length} starts computed.`}</p>
          </li>
        ))}
      </ul>
    </section>
  )
}
