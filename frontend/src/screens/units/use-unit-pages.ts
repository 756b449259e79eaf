import { useInfiniteQuery } from '@tanstack/react-query'
import { answer, client } from '../../api/client'

/** The list of units in pages, by site and name. */
export function useUnitPages(find: string) {
  return useInfiniteQuery({
    queryKey: ['units', 'pages', find],
    queryFn: ({ pageParam }) =>
      answer(
        client.GET('/api/units/page', {
          params: { query: { find, ...(pageParam ? { after: pageParam } : {}) } },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last) => last.more_after ?? undefined,
    placeholderData: (last) => last,
  })
}
