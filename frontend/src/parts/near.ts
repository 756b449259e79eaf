import { useEffect, useRef, useState } from 'react'

/**
 * Whether something has come near the screen yet: what is far below is not asked of the server before, over a
 * phone's signal. Where nothing can tell, it counts as near.
 */
export function useNear<T extends HTMLElement>() {
  const box = useRef<T>(null)
  const [near, setNear] = useState(typeof IntersectionObserver === 'undefined')
  useEffect(() => {
    const at = box.current
    if (near || !at) return
    const watch = new IntersectionObserver(
      (seen) => {
        if (seen.some((s) => s.isIntersecting)) setNear(true)
      },
      { rootMargin: '150px' },
    )
    watch.observe(at)
    return () => watch.disconnect()
  }, [near])
  return [box, near] as const
}
