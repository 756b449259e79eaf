import { t } from '@lingui/core/macro'
import type { Rung } from '../../api/client'

export function Planned({ rung }: { rung: Rung }) {
  return (
    <div className="max-w-xl">
      <p className="text-lg">{t`Here will stand: ${rung.load.charAt(0).toLowerCase() + rung.load.slice(1)}.`}</p>
      <p className="pt-2 text-soft">{t`This rung is not built yet. The rest of the call works without it; write what belongs here into the call's note meanwhile.`}</p>
    </div>
  )
}
