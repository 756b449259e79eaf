import { t } from '@lingui/core/macro'

const SHOWN_MS = 10_000

/** Say that what was just sent had been saved before: the answer to the first try was lost on its way. */
export function tell() {
  document.getElementById('had-been-saved')?.remove()
  const note = document.createElement('p')
  note.id = 'had-been-saved'
  note.setAttribute('role', 'status')
  note.className =
    'pointer-events-none fixed inset-x-3 bottom-20 z-50 mx-auto w-fit max-w-full border-2 border-line bg-field px-4 py-3 font-bold text-ink'
  note.textContent = t`✓ Already saved the first time. It counts once.`
  document.body.append(note)
  setTimeout(() => note.remove(), SHOWN_MS)
}
