import { t } from '@lingui/core/macro'
import { lazy, Suspense, useEffect, useRef, useState } from 'react'
import { useLocation, useNavigate } from 'react-router'
import { early } from './early'
import { singleKeysOn } from './keys-setting'
import { Sheet } from './sheet'

const KeySheet = lazy(early(() => import('./key-sheet').then((m) => ({ default: m.KeySheet }))))

const PLACES: Record<string, { path: string; word: string }> = {
  c: { path: '/calls', word: t`Calls` },
  u: { path: '/units', word: t`Units` },
  l: { path: '/lab', word: t`Start lab` },
  b: { path: '/bench', word: t`Practice` },
  r: { path: '/circuits', word: t`Circuits` },
  v: { path: '/van', word: t`Van` },
  s: { path: '/shop', word: t`Shop` },
  h: { path: '/handbook', word: t`Handbook` },
}

export const PRESSED = 'orange-crank:key'

/** Listen for a key no one is typing into a field. */
export function useKey(listen: (key: string) => void) {
  const kept = useRef(listen)
  kept.current = listen
  useEffect(() => {
    const heard = (event: Event) => kept.current((event as CustomEvent<string>).detail)
    window.addEventListener(PRESSED, heard)
    return () => window.removeEventListener(PRESSED, heard)
  }, [])
}

export const OPEN_KEYS = 'orange-crank:keys'

export function KeyMap() {
  const [open, setOpen] = useState(false)
  const go = useRef(false)
  const navigate = useNavigate()
  const { pathname } = useLocation()
  useEffect(() => {
    const down = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement
      const typing = target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)
      if (typing || event.ctrlKey || event.metaKey || event.altKey) return
      if (document.querySelector('[role=dialog]') && event.key !== '?') return
      if (!singleKeysOn()) return
      if (go.current) {
        go.current = false
        const place = PLACES[event.key]
        if (place) {
          event.preventDefault()
          navigate(place.path)
        }
        return
      }
      if (event.key === 'g') {
        go.current = true
        window.setTimeout(() => {
          go.current = false
        }, 1500)
        return
      }
      if (event.key === '?') {
        event.preventDefault()
        setOpen(true)
        return
      }
      if (/^[0-9n/]$/.test(event.key)) {
        event.preventDefault()
        window.dispatchEvent(new CustomEvent(PRESSED, { detail: event.key }))
      }
    }
    window.addEventListener('keydown', down)
    return () => window.removeEventListener('keydown', down)
  }, [navigate])
  useEffect(() => {
    const asked = () => setOpen(true)
    window.addEventListener(OPEN_KEYS, asked)
    return () => window.removeEventListener(OPEN_KEYS, asked)
  }, [])
  // biome-ignore lint/correctness/useExhaustiveDependencies: closing belongs to the change of place
  useEffect(() => setOpen(false), [pathname])
  return (
    <Sheet open={open} onOpenChange={setOpen} title={t`Keys`}>
      <Suspense fallback={<p role="status">{t`Opening…`}</p>}>
        <KeySheet places={Object.entries(PLACES).map(([key, place]) => ({ key, word: place.word }))} />
      </Suspense>
    </Sheet>
  )
}
