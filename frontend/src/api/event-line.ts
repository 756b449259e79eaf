/** Seconds until a line is opened again that the server refused; a broken one the browser opens again itself. */
const AGAIN_MS = 5_000

export type EventLine = {
  /** Path of the event stream, with its query. */
  address: string
  /** Names of the events to hear. */
  names: readonly string[]
  hear: (name: string, data: string) => void
  /** The connection is down. */
  down?: () => void
  /** The page came back from the back/forward cache: events were missed. */
  resumed?: () => void
}

/** Open one EventSource; return how to close it. */
function open({ address, names, down }: EventLine, hear: EventLine['hear']): () => void {
  let source: EventSource
  let again: ReturnType<typeof setTimeout> | undefined
  const begin = () => {
    source = new EventSource(address)
    for (const name of names)
      source.addEventListener(name, (event) => hear(name, (event as MessageEvent<string>).data))
    source.onerror = () => {
      down?.()
      if (source.readyState === 2) again = setTimeout(begin, AGAIN_MS)
    }
  }
  begin()
  return () => {
    clearTimeout(again)
    source.close()
  }
}

/**
 * Share one EventSource between all tabs of this browser: the tab that holds the lock reads it and passes each
 * event on. Browsers open six HTTP/1.1 connections per server, so a stream per tab blocks the seventh request.
 */
function share(line: EventLine): () => void {
  const channel = new BroadcastChannel(`orange-crank:${line.address}`)
  const waiting = new AbortController()
  let release = () => {}
  channel.onmessage = ({ data }: MessageEvent<{ name: string; data: string } | null>) => {
    if (data) line.hear(data.name, data.data)
    else line.down?.()
  }
  const lead = () =>
    new Promise<void>((done) => {
      const down = () => {
        channel.postMessage(null)
        line.down?.()
      }
      const close = open({ ...line, down }, (name, data) => {
        channel.postMessage({ name, data })
        line.hear(name, data)
      })
      release = () => {
        close()
        done()
      }
    })
  navigator.locks.request(`orange-crank:${line.address}`, { signal: waiting.signal }, lead).catch(() => {})
  return () => {
    waiting.abort()
    release()
    channel.close()
  }
}

/**
 * Listen to an event stream of the server. The line closes when the page is hidden for good or put into the
 * back/forward cache, and opens again when the page comes back. Returns how to stop.
 */
export function listen(line: EventLine): () => void {
  if (typeof EventSource === 'undefined') return () => {}
  const begin =
    'locks' in navigator && typeof BroadcastChannel !== 'undefined'
      ? share
      : (l: EventLine) => open(l, l.hear)
  let stop: (() => void) | null = begin(line)
  const hide = () => {
    stop?.()
    stop = null
  }
  const show = () => {
    if (stop) return
    stop = begin(line)
    line.resumed?.()
  }
  addEventListener('pagehide', hide)
  addEventListener('pageshow', show)
  return () => {
    removeEventListener('pagehide', hide)
    removeEventListener('pageshow', show)
    hide()
  }
}
