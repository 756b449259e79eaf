import tailwindcss from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import { VitePWA } from 'vite-plugin-pwa'
import { defineConfig } from 'vitest/config'

const GROUND =
  /node_modules\/(react|react-dom|scheduler|react-router|@tanstack\/(react-query|query-core)|openapi-fetch)\//

export default defineConfig({
  plugins: [
    react(),
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
    reportCompressedSize: false,
    rolldownOptions: {
      output: {
        // What every view stands on comes in one piece: many small ones pack worse, each with its own head.
        codeSplitting: { groups: [{ name: 'ground', test: GROUND }] },
      },
    },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8420' } },
  test: { environment: 'jsdom', include: ['src/**/*.test.{ts,tsx}'], setupFiles: ['src/test-setup.ts'] },
})
