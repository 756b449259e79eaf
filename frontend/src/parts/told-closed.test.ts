import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { rememberPerson } from '../api/client'
import { NOT_REACHED, reminders, tellClosed, tellNothing } from './told-closed'

const KEY = btoa(String.fromCharCode(...Array.from({ length: 65 }, (_, i) => i)))
  .replaceAll('+', '-')
  .replaceAll('/', '_')
  .replaceAll('=', '')
const OTHER = `CC${KEY.slice(2)}`
const raw = (key: string) =>
  Uint8Array.from(atob(key.replaceAll('-', '+').replaceAll('_', '/')), (letter) => letter.charCodeAt(0))
    .buffer

type Held = { endpoint: string; key: string }

/** A browser with a push service, and a shop's server. */
function stage({ shopKey = KEY, reached = true } = {}) {
  const asked: string[] = []
  const state = { held: null as Held | null, on: false, shopKey, reached, made: 0 }
  const handed = (held: Held) => ({
    options: { applicationServerKey: raw(held.key) },
    toJSON: () => ({ endpoint: held.endpoint, keys: { p256dh: 'p', auth: 'a' } }),
    unsubscribe: async () => {
      state.held = null
      return true
    },
  })
  const worker = {
    pushManager: {
      getSubscription: async () => (state.held ? handed(state.held) : null),
      subscribe: async ({ applicationServerKey }: { applicationServerKey: Uint8Array }) => {
        if (!state.reached) throw new Error('AbortError')
        state.made += 1
        const key = btoa(String.fromCharCode(...applicationServerKey))
        state.held = { endpoint: `https://push.example/${state.made}`, key }
        return handed(state.held)
      },
    },
  }
  vi.stubGlobal('PushManager', class {})
  Object.defineProperty(navigator, 'serviceWorker', {
    configurable: true,
    value: { getRegistration: async () => worker, ready: Promise.resolve(worker) },
  })
  vi.stubGlobal('fetch', async (request: Request) => {
    const said = request.method === 'PUT' ? ((await request.json()) as { endpoint: string }).endpoint : ''
    asked.push(`${request.method} ${new URL(request.url).pathname} ${said}`.trim())
    if (request.method === 'PUT') state.on = true
    if (request.method === 'DELETE') state.on = false
    return new Response(JSON.stringify({ key: state.shopKey, on: state.on, trouble: null }), {
      headers: { 'Content-Type': 'application/json' },
    })
  })
  return { state, asked }
}

beforeEach(() => {
  localStorage.clear()
  rememberPerson(1)
})
afterEach(() => {
  vi.unstubAllGlobals()
})

describe('a device that is told with the program closed', () => {
  it('is sent one at once when it is turned on', async () => {
    const { asked } = stage()
    await tellClosed(KEY)
    expect(asked).toEqual(['PUT /api/reminders https://push.example/1', 'POST /api/reminders/try'])
  })

  it('is asked for nothing where nobody turned it on', async () => {
    const { asked, state } = stage()
    expect((await reminders()).on).toBe(false)
    expect(asked).toEqual(['GET /api/reminders'])
    expect(state.held).toBeNull()
  })

  it('says where it is again after another sign-in', async () => {
    const { asked, state } = stage()
    await tellClosed(KEY)
    asked.length = 0
    state.on = false
    expect((await reminders()).on).toBe(true)
    expect(asked).toEqual(['GET /api/reminders', 'PUT /api/reminders https://push.example/1'])
  })

  it('is not told for the next person, and again for the first', async () => {
    const { asked, state } = stage()
    await tellClosed(KEY)
    rememberPerson(2)
    state.on = false
    asked.length = 0
    expect((await reminders()).on).toBe(false)
    expect(asked).toEqual(['GET /api/reminders'])
    rememberPerson(1)
    expect((await reminders()).on).toBe(true)
  })

  it('gets another address where the shop has another key', async () => {
    const { asked, state } = stage()
    await tellClosed(KEY)
    state.shopKey = OTHER
    asked.length = 0
    await reminders()
    expect(asked).toEqual(['GET /api/reminders', 'PUT /api/reminders https://push.example/2'])
  })

  it('is as it is where its push service is out of reach', async () => {
    const { asked, state } = stage()
    await tellClosed(KEY)
    state.shopKey = OTHER
    state.reached = false
    asked.length = 0
    expect((await reminders()).key).toBe(OTHER)
    expect(asked).toEqual(['GET /api/reminders'])
    await expect(tellClosed(OTHER)).rejects.toThrow(NOT_REACHED)
  })

  it('is told nothing any more once it is turned off', async () => {
    const { state } = stage()
    await tellClosed(KEY)
    expect((await tellNothing()).on).toBe(false)
    expect(state.held).toBeNull()
    expect((await reminders()).on).toBe(false)
  })
})
