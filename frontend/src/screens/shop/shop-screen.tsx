import { useState } from 'react'
import { problemOf } from '../../api/client'
import { usePeople, useReloadDemo, useStandards } from '../../api/queries'
import { Button } from '../../parts/button'
import { ProblemNote } from '../../parts/problem'
import { Sheet } from '../../parts/sheet'
import { figure } from '../../quantities/format'

export function ShopScreen() {
  const people = usePeople()
  const standards = useStandards()
  return (
    <div className="mx-auto max-w-5xl p-3 sm:p-5">
      <h1 className="text-2xl font-bold">Shop</h1>
      <h2 className="mt-4 border-b-2 border-ink text-lg font-bold">People</h2>
      <ul className="grid sm:grid-cols-2">
        {people.data?.map((p) => (
          <li key={p.id} className="flex gap-3 border-b border-faint py-2">
            <span className="figure w-8">{p.initials}</span>
            <b>{p.name}</b>
            <span className="text-soft">{p.role}</span>
          </li>
        ))}
      </ul>
      <h2 className="mt-6 border-b-2 border-ink text-lg font-bold">Shop standards</h2>
      <p className="py-2 text-soft">
        The rules of thumb, each with its reason. Every verdict names the one it used. Code rules are not
        among them.
      </p>
      <ProblemNote problem={problemOf(standards.error)} onRetry={() => standards.refetch()} />
      <ul>
        {standards.data?.map((s) => (
          <li key={s.name} className="grid gap-x-4 border-b border-faint py-2 sm:grid-cols-[16rem_9rem_1fr]">
            <span className="font-bold break-words">{s.name.replaceAll('_', ' ')}</span>
            <span className="figure">
              {figure(s.value)} {s.unit === '1' ? '×' : s.unit}
            </span>
            <span className="text-sm">
              {s.reason} <span className="text-soft">Others: {s.other_practice}</span>
            </span>
          </li>
        ))}
      </ul>
      <h2 className="mt-6 border-b-2 border-ink text-lg font-bold">Demo</h2>
      <ReloadDemo />
    </div>
  )
}

function ReloadDemo() {
  const reload = useReloadDemo()
  const [asking, setAsking] = useState(false)
  return (
    <div className="py-3">
      <p className="pb-2 text-soft">Quillback Cooling is a made-up shop. Loading it again starts over.</p>
      <Button onClick={() => setAsking(true)}>Load the demo again</Button>
      {reload.isSuccess && !asking && (
        <p role="status" className="pt-2 font-bold text-pass">
          ✓ The demo shop is as new.
        </p>
      )}
      <Sheet open={asking} onOpenChange={setAsking} title="Throw all records away?">
        <p>Every call, reading and plate in these records is thrown away, and the demo is loaded anew.</p>
        <ProblemNote problem={problemOf(reload.error)} />
        <div className="flex gap-2 pt-4">
          <Button
            kind="primary"
            busy={reload.isPending}
            onClick={() =>
              reload.mutate(undefined, {
                onSuccess: () => {
                  sessionStorage.clear()
                  setAsking(false)
                },
              })
            }
          >
            Throw away and reload
          </Button>
          <Button onClick={() => setAsking(false)}>Keep the records</Button>
        </div>
      </Sheet>
    </div>
  )
}
