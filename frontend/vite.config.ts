import { lingui } from '@lingui/vite-plugin'
import babel from '@rolldown/plugin-babel'
import tailwindcss from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import type { Plugin } from 'vite'
import { VitePWA } from 'vite-plugin-pwa'
import { defineConfig } from 'vitest/config'

const GROUND =
  /node_modules\/(react|react-dom|scheduler|react-router|@tanstack\/(react-query|query-core)|openapi-fetch|@lingui\/core)\/(?!.*(infiniteQueryObserver|queriesObserver|useInfiniteQuery|useQueries))/

/** The first view comes by import() once the language is known; the page names it, so that both load at once. */
const firstView: Plugin = {
  name: 'first-view',
  transformIndexHtml: {
    order: 'post',
    handler(html, { bundle }) {
      const chunks = Object.values(bundle ?? {}).filter((c) => c.type === 'chunk')
      const needed = new Set(chunks.filter((c) => c.name === 'opening').map((c) => c.fileName))
      for (const file of needed)
        for (const c of chunks) if (c.fileName === file) for (const i of c.imports) needed.add(i)
      return [...needed]
        .filter((file) => !html.includes(file))
        .map((file) => ({
          tag: 'link',
          attrs: { rel: 'modulepreload', crossorigin: true, href: `/${file}` },
          injectTo: 'head' as const,
        }))
    },
  },
}

export default defineConfig({
  plugins: [
    react(),
    babel({ plugins: [['@lingui/babel-plugin-lingui-macro', { stripMessageField: false }]] }),
    lingui(),
    firstView,
    tailwindcss(),
    VitePWA({
      // A new build takes over at the next opening: never under a half-typed entry.
      registerType: 'prompt',
      injectRegister: 'script-defer',
      manifest: {
        name: 'Orange Crank',
        short_name: 'Crank',
        description: 'The arithmetic, the record and the judgement of an HVAC service call.',
        id: '/',
        start_url: '/calls',
        scope: '/',
        display: 'standalone',
        background_color: '#d6dbda',
        theme_color: '#d6dbda',
        icons: [
          { src: '/crank.svg', sizes: 'any', type: 'image/svg+xml' },
          { src: '/crank-192.png', sizes: '192x192', type: 'image/png' },
          { src: '/crank-512.png', sizes: '512x512', type: 'image/png', purpose: 'any' },
        ],
      },
      workbox: {
        globPatterns: ['**/*.{js,css,html,svg,woff2,png}'],
        navigateFallback: '/index.html',
        // What the server alone can say is never answered from the device by the worker.
        navigateFallbackDenylist: [/^\/(practice\/)?api\//],
        cleanupOutdatedCaches: true,
        importScripts: ['/told.js'],
        inlineWorkboxRuntime: true,
      },
    }),
  ],
  build: {
    target: 'es2022',
    sourcemap: false,
    modulePreload: { polyfill: false },
    reportCompressedSize: false,
    rolldownOptions: {
      output: {
        // What every view stands on comes in one piece: many small ones pack worse, each with its own head.
        codeSplitting: {
          groups: [
            { name: 'ground', test: GROUND, priority: 2 },
            { name: 'language', test: /src\/(language\/language|quantities\/reads)\.ts/, priority: 2 },
            { name: 'opening', test: /src\/opening\.tsx/, priority: 1 },
          ],
        },
      },
    },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8420' } },
  test: { environment: 'jsdom', include: ['src/**/*.test.{ts,tsx}'], setupFiles: ['src/test-setup.ts'] },
})
