import { useQuery } from '@tanstack/react-query'
import { answer, client, type Schemas } from '../api/client'

export type Book = Schemas['Handbook']
export type BookPage = Schemas['Page']

/** A place in the handbook: a page, and the section of it that was requested. */
export type At = { page: string; section?: string | undefined }

export function useBook() {
  return useQuery({
    queryKey: ['handbook'],
    queryFn: () => answer(client.GET('/api/handbook')),
    staleTime: 5 * 60_000,
  })
}

export function useCited(rule: string, asked: boolean) {
  return useQuery({
    queryKey: ['cited', rule],
    enabled: asked,
    queryFn: () => answer(client.GET('/api/handbook/cited', { params: { query: { rule } } })),
    staleTime: Number.POSITIVE_INFINITY,
  })
}

const PLACES: [RegExp, At, string[]][] = [
  [/^\/calls\/\d+\/make_safe/, { page: 'make-safe' }, ['make-safe', 'a-stop']],
  [/^\/calls\/\d+\/plate/, { page: 'plate' }, ['plate', 'fields-save-themselves']],
  [/^\/calls\/\d+\/dead_tests/, { page: 'dead-tests' }, ['dead-tests', 'fields-save-themselves']],
  [
    /^\/calls\/\d+\/live_tests/,
    { page: 'live-tests' },
    ['live-tests', 'live-meter', 'heat-strips', 'waveforms'],
  ],
  [/^\/calls\/\d+\/why/, { page: 'why' }, ['why']],
  [/^\/calls\/\d+\/aid/, { page: 'aid' }, ['aid', 'backup-power']],
  [/^\/calls\/\d+\/parts/, { page: 'parts' }, ['contactor-capacitors']],
  [/^\/calls\/\d+\/circuit/, { page: 'circuit' }, ['circuit']],
  [/^\/calls\/\d+\/prove/, { page: 'prove' }, ['prove', 'changed-a-part']],
  [/^\/calls\/\d+\/hand_over/, { page: 'hand-over' }, ['hand-over', 'closing']],
  [/^\/calls\/\d+/, { page: 'using' }, ['a-call-is-a-ladder', 'next', 'a-stop', 'closing']],
  [/^\/calls/, { page: 'using' }, ['pick-who-you-are', 'a-call-is-a-ladder', 'keys']],
  [/^\/(day|due)/, { page: 'using' }, ['day-and-to-do']],
  [/^\/fleet/, { page: 'logbook' }, ['fleet']],
  [/^\/units/, { page: 'logbook' }, ['units', 'fleet']],
  [/^\/bench/, { page: 'practice' }, ['keys']],
  [/^\/score/, { page: 'practice' }, ['keys']],
  [/^\/lab/, { page: 'start' }, ['start-lab']],
  [/^\/circuits/, { page: 'circuit' }, ['circuit']],
  [/^\/van/, { page: 'parts' }, ['van']],
  [/^\/shop/, { page: 'records' }, ['your-own-shop']],
]

/** What helps where one stands: the page about the work, and the sections that say how the screen works. */
export function helpFor(path: string): { at: At; using: string[] } {
  const hit = PLACES.find(([place]) => place.test(path))
  return { at: hit?.[1] ?? { page: 'using' }, using: hit?.[2] ?? ['keys'] }
}
