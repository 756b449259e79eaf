import type { Schemas } from '../api/client'

type Gate = Schemas['Gate']

/** Why something may not be done now, and what opens it, in the server's words. */
export function GateNote({ gate }: { gate: Gate | undefined }) {
  if (!gate || gate.ok) return null
  return (
    <p className="border-l-[7px] border-watch bg-field p-3">
      {gate.why} {gate.next_step && <b>→ {gate.next_step}</b>}
    </p>
  )
}
