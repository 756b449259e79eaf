let down = false

if (typeof window !== 'undefined') {
  window.addEventListener(
    'pointerdown',
    () => {
      down = true
    },
    true,
  )
  for (const end of ['pointerup', 'pointercancel'])
    window.addEventListener(
      end,
      () => {
        down = false
      },
      true,
    )
}

/**
 * Do something once no finger or button is down: what is inserted while one is moves the page under it, and the
 * tap that left a field would miss what it was meant for.
 */
export function afterPointer(then: () => void) {
  if (!down) return then()
  const once = () => {
    for (const end of ['pointerup', 'pointercancel']) window.removeEventListener(end, once, true)
    // The click itself comes after the pointer is up.
    window.setTimeout(then)
  }
  for (const end of ['pointerup', 'pointercancel']) window.addEventListener(end, once, true)
}
