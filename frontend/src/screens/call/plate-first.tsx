import { t } from '@lingui/core/macro'
import { Link } from 'react-router'

/** What a rung says that cannot begin without the plate. */
export function PlateFirst({ callId }: { callId: number }) {
  return (
    <p>
      {t`The plate comes first.`}{' '}
      <Link className="underline" to={`/calls/${callId}/plate`}>{t`Read the plate`}</Link>
    </p>
  )
}
