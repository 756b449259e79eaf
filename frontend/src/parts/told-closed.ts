import { t } from '@lingui/core/macro'
import { answer, client, rememberedPerson, type Schemas } from '../api/client'

/** Whether this browser can be told anything while the program is closed on it. */
export const canBeTold = () => 'serviceWorker' in navigator && 'PushManager' in window

const GRANT_MS = 20_000

/** Kept for each person of a device: anyone who comes next is asked again, anyone who comes back is not. */
const kept = () => `orange-crank.told-closed.${rememberedPerson()}`

const settled = (now: Schemas['Reminders']) => {
  if (now.on) localStorage.setItem(kept(), 'on')
  else localStorage.removeItem(kept())
  return now
}

/**
 * Whether this device is notified. Signed in again, given another address by its browser, or told by a shop whose key is
 * a new one, it is still to be: the server hears where it is now.
 */
export async function reminders(): Promise<Schemas['Reminders']> {
  const wanted = localStorage.getItem(kept()) !== null && canBeTold()
  const now = await answer(client.GET('/api/reminders'))
  const held = wanted ? await subscription() : null
  if (!held || now.key === null) return settled(now)
  // Where its browser's push service cannot be reached, it is as it is.
  const good = fits(held, now.key) ? held : await renewed(held, now.key).catch(() => null)
  return settled(good ? await answer(client.PUT('/api/reminders', { body: place(good) })) : now)
}

const bytes = (text: string) =>
  Uint8Array.from(atob(text.replaceAll('-', '+').replaceAll('_', '/')), (letter) => letter.charCodeAt(0))

function place(subscription: PushSubscription): Schemas['NewSubscription'] {
  const { endpoint, keys } = subscription.toJSON()
  return { endpoint: endpoint ?? '', device_key: keys?.p256dh ?? '', device_secret: keys?.auth ?? '' }
}

async function subscription() {
  const worker = await navigator.serviceWorker.getRegistration()
  return worker?.pushManager.getSubscription() ?? null
}

/** A push service that cannot be reached leaves its question open for ever; then it is said instead. */
function within<T>(pending: Promise<T>): Promise<T> {
  return Promise.race([
    pending,
    new Promise<T>((_, refuse) => window.setTimeout(() => refuse(new Error(t`no answer`)), GRANT_MS)),
  ])
}

/** Made for a key the shop no longer has, nothing sent by the one it has would be taken. */
function fits(held: PushSubscription, key: string): boolean {
  const made = held.options?.applicationServerKey
  return !made || new Uint8Array(made).join() === bytes(key).join()
}

async function renewed(held: PushSubscription | null, key: string): Promise<PushSubscription> {
  await held?.unsubscribe()
  return within(
    navigator.serviceWorker.ready.then((worker) =>
      worker.pushManager.subscribe({ userVisibleOnly: true, applicationServerKey: bytes(key) }),
    ),
  )
}

export const NOT_REACHED = t`This device cannot reach its browser's push service. You still get notices here while the program is open.`

/** Have this device told from now on; throws NOT_REACHED as words where its browser's service does not answer. */
export async function tellClosed(key: string): Promise<Schemas['Reminders']> {
  const held = await subscription()
  let made: PushSubscription
  try {
    made = held && fits(held, key) ? held : await renewed(held, key)
  } catch {
    throw new Error(NOT_REACHED)
  }
  await answer(client.PUT('/api/reminders', { body: place(made) }))
  // One is sent at once: whether it comes is seen, not assumed.
  return settled(await answer(client.POST('/api/reminders/try')))
}

export async function tellNothing(): Promise<Schemas['Reminders']> {
  await subscription().then((held) => held?.unsubscribe())
  return settled(await answer(client.DELETE('/api/reminders')))
}
