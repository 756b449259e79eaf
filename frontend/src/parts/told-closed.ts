import { answer, client, rememberedPerson, type Schemas } from '../api/client'

/** Whether this browser can be told anything while the program is closed on it. */
export const canBeTold = () => 'serviceWorker' in navigator && 'PushManager' in window

const GRANT_MS = 20_000

/** Kept for each person of a device: whoever comes next is asked anew, whoever comes back is not. */
const kept = () => `orange-crank.told-closed.${rememberedPerson()}`

const settled = (now: Schemas['Reminders']) => {
  if (now.on) localStorage.setItem(kept(), 'on')
  else localStorage.removeItem(kept())
  return now
}

/**
 * Whether this device is told. Signed in again, or given another address by its browser, it is still to be: the
 * server hears where it is now.
 */
export async function reminders(): Promise<Schemas['Reminders']> {
  const held = localStorage.getItem(kept()) !== null && canBeTold() ? await subscription() : null
  return settled(
    await answer(held ? client.PUT('/api/reminders', { body: place(held) }) : client.GET('/api/reminders')),
  )
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
    new Promise<T>((_, refuse) => window.setTimeout(() => refuse(new Error('no answer')), GRANT_MS)),
  ])
}

export const NOT_REACHED =
  'This device cannot reach the push service of its browser. While the program is open here it tells you all the same.'

/** Have this device told from now on; throws NOT_REACHED as words where its browser's service does not answer. */
export async function tellClosed(key: string): Promise<Schemas['Reminders']> {
  const worker = await navigator.serviceWorker.ready
  const held = await worker.pushManager.getSubscription()
  const other = held?.options?.applicationServerKey
  // Made for a key the shop no longer has: nothing sent by the one it has would be taken.
  if (held && other && new Uint8Array(other).join() !== bytes(key).join()) await held.unsubscribe()
  let made: PushSubscription
  try {
    made = await within(
      worker.pushManager.subscribe({ userVisibleOnly: true, applicationServerKey: bytes(key) }),
    )
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
