/** The ladder's own symbols. An open contact gapes; a closed one is bridged by a bar. */

export function ContactSymbol({ closed }: { closed: boolean }) {
  return (
    <svg viewBox="0 0 26 20" className="h-5 w-[26px] shrink-0" aria-hidden="true">
      <path d="M0 10h7M19 10h7" stroke="currentColor" strokeWidth="3" />
      <path d="M8 2v16M18 2v16" stroke="currentColor" strokeWidth="3" />
      {closed ? (
        <path d="M8 10h10" stroke="currentColor" strokeWidth="5" />
      ) : (
        <path d="M10 6l3-4" stroke="currentColor" strokeWidth="2" />
      )}
    </svg>
  )
}

export function LoadSymbol({ on }: { on: boolean }) {
  return (
    <svg viewBox="0 0 30 22" className="h-[22px] w-[30px] shrink-0" aria-hidden="true">
      <path d="M0 11h5M25 11h5" stroke="currentColor" strokeWidth="3" />
      <circle
        cx="15"
        cy="11"
        r="9"
        fill={on ? 'currentColor' : 'none'}
        stroke="currentColor"
        strokeWidth="3"
      />
    </svg>
  )
}
