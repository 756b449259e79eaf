import { at } from '../api/client'

const waiting: (() => Promise<unknown>)[] = []
let begun = false

/** Remember code that a first view does not need, so that it is there before the signal goes. */
export function early<T>(load: () => Promise<T>): () => Promise<T> {
  const once = () => patiently(load)
  waiting.push(load)
  if (begun) fetchRest()
  return once
}

/** Code that does not come for want of signal is requested again when there is some; nothing fails meanwhile. */
async function patiently<T>(load: () => Promise<T>): Promise<T> {
  for (;;) {
    try {
      return await load()
    } catch (failure) {
      if (navigator.onLine && !(await silent())) throw failure
      await signal()
    }
  }
}

/** Whether the server does not answer at all; if it does, the code is gone for good (a new build). */
async function silent(): Promise<boolean> {
  try {
    await fetch(at('/api/health'))
    return false
  } catch {
    return true
  }
}

function signal(): Promise<void> {
  return new Promise((resolve) => {
    const timer = window.setTimeout(resolve, 3_000)
    window.addEventListener(
      'online',
      () => {
        window.clearTimeout(timer)
        resolve()
      },
      { once: true },
    )
  })
}

/** Once the first view stands and nothing presses, fetch the rest, one after another. */
export function fetchRest() {
  begun = true
  const next = waiting.shift()
  if (!next) return
  const idle = window.requestIdleCallback ?? ((then: () => void) => window.setTimeout(then, 300))
  idle(() => {
    next()
      .catch(() => undefined)
      .finally(fetchRest)
  })
}
