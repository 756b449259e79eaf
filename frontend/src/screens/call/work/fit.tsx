import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { Link } from 'react-router'
import { type Call, problemOf } from '../../../api/client'
import { Button } from '../../../parts/button'
import { Choice } from '../../../parts/choice'
import { TextField } from '../../../parts/field'
import { ProblemNote } from '../../../parts/problem'
import { VerdictMark } from '../../../parts/verdict'
import { useFit, useVan, useWork } from './use-work'
import type { Job } from './wiring-plan'

/** Written down as fitted: off the van, onto the list of changes. */
export function Fit({ call, job, holderId }: { call: Call; job: Job; holderId: number | null }) {
  const fit = useFit(call.id)
  const work = useWork(call.id)
  const van = useVan(holderId)
  const gate = work.data?.may_fit[job.work]
  const line = van.data?.lines.find((l) => l.part.part === job.part)
  const [from, setFrom] = useState<string | null>(null)
  const [lot, setLot] = useState('')
  const source = from ?? (line && line.count > 0 ? 'van' : 'elsewhere')
  const done = work.data?.fitted.some((f) => f.fitting.work === job.work && f.fitting.part === job.part)
  if (done)
    return (
      <p>
        <VerdictMark verdict="pass" word={t`Saved as installed`} />.{' '}
        <Link className="font-bold underline" to={`/calls/${call.id}/prove`}>{t`Prove it`}</Link>
      </p>
    )
  return (
    <section aria-label={t`Fitted`} className="grid gap-3">
      <h4 className="border-b-2 border-ink font-bold">{t`Fitted`}</h4>
      <Choice
        label={t`Part came from`}
        value={source}
        onChange={setFrom}
        options={[
          { value: 'van', label: line ? t`The van, ${line.count} there` : t`The van, none there` },
          { value: 'elsewhere', label: t`Somewhere else` },
        ]}
      />
      <TextField
        label={t`Lot or date code on the part`}
        value={lot}
        onChange={setLot}
        hint={t`Needed for a recall.`}
      />
      {gate && !gate.ok && (
        <p className="text-soft">
          {gate.why} {gate.next_step}
        </p>
      )}
      <ProblemNote problem={problemOf(fit.error)} />
      <div>
        <Button
          kind="dead"
          busy={fit.isPending}
          disabled={!gate?.ok}
          onClick={() =>
            fit.mutate({
              work: job.work,
              what: job.title.slice(0, 80),
              part: job.part,
              lot: lot.trim() || null,
              count: 1,
              holder_id: source === 'van' ? holderId : null,
            })
          }
        >{t`Save as installed`}</Button>
      </div>
    </section>
  )
}
