import { MutationCache, QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter } from 'react-router'
import { BASE } from './api/client'
import { App } from './app'
import { beat, sweepDrafts } from './parts/draft'
import { fetchRest } from './parts/early'
import { applyLook, rememberedLook } from './parts/look'

applyLook(rememberedLook())
beat()
sweepDrafts()

const cache: QueryClient = new QueryClient({
  // A refusal may mean that the call moved on elsewhere: what is shown is read again at once.
  mutationCache: new MutationCache({
    onError: () => {
      cache.invalidateQueries({ queryKey: ['call'] })
    },
  }),
  defaultOptions: {
    queries: { retry: 1, retryDelay: 800, staleTime: 5_000, networkMode: 'always' },
    mutations: { networkMode: 'always' },
  },
})

const root = document.getElementById('root')
if (root)
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={cache}>
        <BrowserRouter basename={BASE}>
          <App />
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  )

if (document.readyState === 'complete') fetchRest()
else window.addEventListener('load', () => fetchRest())
