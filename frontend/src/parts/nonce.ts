import { setNonce } from 'get-nonce'

// A sheet holds the page behind it still by a style of its own: this page's policy knows it by this word.
setNonce(document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content ?? '')
