import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { answer, client, problemOf } from '../../api/client'
import { ProblemNote } from '../../parts/problem'
import { day } from '../../quantities/format'

/** How phones reach the shop's computer, and by what they come to trust it. */
export function Network() {
  const network = useQuery({ queryKey: ['network'], queryFn: () => answer(client.GET('/api/network')) })
  const n = network.data
  if (!n) return <ProblemNote problem={problemOf(network.error)} onRetry={() => network.refetch()} />
  if (n.alone)
    return (
      <p className="py-2">
        {t`Only this computer can reach it. For phones, make a certificate and start it for the network. At this computer:`}{' '}
        <code className="figure">{t`orange-crank certificate 192.168.1.20`}</code>
        {t`, with the address or name phones use for it. It prints the next step.`}
      </p>
    )
  return (
    <div className="grid gap-2 py-2">
      {n.warning && <p className="border-l-[7px] border-watch p-2 font-bold">△ {n.warning}</p>}
      <p>
        {t`Phones open`} <b className="break-all">{n.address}</b>
        {n.ends_at && t`. Its certificate is good until ${day(n.ends_at)}.`}
      </p>
      {n.install_address && (
        <>
          <p>
            {t`On a phone that does not trust it yet, open this once and compare the fingerprint:`}{' '}
            <b className="break-all">{n.install_address}</b>
          </p>
          <img
            alt={t`Code that opens ${n.install_address}`}
            src={`data:image/svg+xml,${encodeURIComponent(n.install_code_svg ?? '')}`}
            className="size-48 bg-white"
          />
          <p className="figure text-sm">{n.fingerprint}</p>
        </>
      )}
    </div>
  )
}
