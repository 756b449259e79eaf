import { useEffect, useSyncExternalStore } from 'react'

/** What the page is, for the tab and for who hears it. */
export function useTitle(words: string) {
  useEffect(() => {
    document.title = `${words} · Orange Crank`
    return () => {
      document.title = 'Orange Crank'
    }
  }, [words])
}

const WIDE = '(min-width: 64rem)'

/** Whether the ladder and a rung stand side by side. */
export function useWide(): boolean {
  return useSyncExternalStore(
    (changed) => {
      const media = window.matchMedia?.(WIDE)
      media?.addEventListener('change', changed)
      return () => media?.removeEventListener('change', changed)
    },
    () => window.matchMedia?.(WIDE).matches ?? true,
  )
}
