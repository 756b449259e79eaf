import 'fake-indexeddb/auto'
import { expect, it, vi } from 'vitest'
import { find, keep } from '../api/kept'
import { signOut } from './session'

const json = (body: unknown) =>
  new Response(JSON.stringify(body), { headers: { 'Content-Type': 'application/json' } })

it('forgets what was read between signing out and its answer', async () => {
  const url = `${location.origin}/api/calls/4`
  const server = vi.spyOn(globalThis, 'fetch').mockImplementation(async () => {
    // The page still reads a call as the person who is leaving.
    await keep(url, json({ id: 4 }))
    return json({ person: null, people: [] })
  })
  expect((await signOut()).person).toBeNull()
  expect(await find(url)).toBeNull()
  server.mockRestore()
})
