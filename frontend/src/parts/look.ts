import { t } from '@lingui/core/macro'
export type Look = 'sheet' | 'dark' | 'sun'
export const LOOKS: { look: Look; word: string }[] = [
  { look: 'sheet', word: t`Light` },
  { look: 'dark', word: t`Dark` },
  { look: 'sun', word: t`Sun` },
]
const key = 'orange-crank.look'

export function rememberedLook(): Look {
  const kept = localStorage.getItem(key)
  return LOOKS.find((l) => l.look === kept)?.look ?? 'sheet'
}

export function applyLook(look: Look) {
  document.documentElement.dataset.look = look
  localStorage.setItem(key, look)
}
