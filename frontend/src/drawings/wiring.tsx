import { useEffect, useRef } from 'react'

/** The core's own drawing of a circuit, laid into the page so that it follows the look. */
export function WiringDrawing({ svg, className = '' }: { svg: string; className?: string }) {
  const place = useRef<HTMLDivElement>(null)
  useEffect(() => {
    const read = new DOMParser().parseFromString(svg, 'image/svg+xml').documentElement
    place.current?.replaceChildren(document.importNode(read, true))
  }, [svg])
  return <div ref={place} className={`wiring max-w-[30rem] ${className}`} />
}
