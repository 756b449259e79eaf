import { t } from '@lingui/core/macro'
import type { Call } from '../../api/client'
import { notSure } from '../../api/outbox'

/** Without signal: which steps of the record are surely done, by what travelled with the call. */
export function SureSteps({ call, record }: { call: Call; record: unknown }) {
  const missing = notSure(call, record)
  return (
    <section aria-label={t`By what was taken along`} className="border-2 border-line bg-field p-3">
      <h3 className="font-bold">
        {missing.length === 0
          ? t`✓ All steps entered. The server will check it.`
          : t`? Not proved dead yet. The server will check it.`}
      </h3>
      <ul>
        {missing.map((step) => (
          <li key={step}>○ {step}</li>
        ))}
      </ul>
    </section>
  )
}
