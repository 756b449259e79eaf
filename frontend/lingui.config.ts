import { defineConfig } from '@lingui/cli'
import { formatter } from '@lingui/format-po'

/** English is the text in the source; every other language is one PO file. WORDS_TO collects elsewhere, to compare. */
export default defineConfig({
  sourceLocale: 'en',
  locales: ['es'],
  catalogs: [
    {
      path: `${process.env.WORDS_TO ?? '<rootDir>/src/language'}/{locale}`,
      include: ['<rootDir>/src'],
      exclude: ['**/*.test.*'],
    },
  ],
  format: formatter({ lineNumbers: false, printPlaceholdersInComments: false }),
})
