import { Link } from 'react-router'

/** What a rung says that cannot begin without the plate. */
export function PlateFirst({ callId }: { callId: number }) {
  return (
    <p>
      The plate comes first.{' '}
      <Link className="underline" to={`/calls/${callId}/plate`}>
        Read the plate
      </Link>
    </p>
  )
}
