import { i18n } from '@lingui/core'
import { reads } from '../quantities/reads'

// English is the text in the source: it has placeholders, and no plural forms, so it needs no ICU parser
// (7 kB in the first view). Other languages come compiled from their PO files.
i18n.setMessagesCompiler((text) => text.split(/\{(\w+)\}/).map((part, i) => (i % 2 ? [part] : part)))

/** Load the reader's catalog. Texts are read as modules load, so every other module comes after this one. */
export async function loadLanguage(): Promise<void> {
  const { messages } = reads.language === 'es' ? await import('./es.po') : { messages: {} }
  i18n.load(reads.language, messages)
  i18n.activate(reads.language)
  document.documentElement.lang = reads.language
}
