/* Part of the service worker: what the shop's server tells this device while the program is closed on it. */
self.addEventListener('push', (event) => {
  let told = {}
  try {
    told = event.data?.json() ?? {}
  } catch {
    // A message that cannot be read still has to be shown as something.
  }
  event.waitUntil(
    self.registration.showNotification(told.title ?? 'Orange Crank', {
      body: told.body ?? 'Something is due. Open the program to see what.',
      tag: told.tag ?? 'told',
      data: { path: typeof told.path === 'string' && told.path.startsWith('/') ? told.path : '/calls' },
      icon: '/crank-192.png',
    }),
  )
})

/* The browser gave this device another address: the server is given it at the program's next opening. */
self.addEventListener('pushsubscriptionchange', (event) => {
  const key = event.oldSubscription?.options?.applicationServerKey
  if (key)
    event.waitUntil(
      self.registration.pushManager.subscribe({ userVisibleOnly: true, applicationServerKey: key }),
    )
})

/* A notification that is tapped opens what it is about. */
self.addEventListener('notificationclick', (event) => {
  event.notification.close()
  const path = event.notification.data?.path ?? '/calls'
  event.waitUntil(
    self.clients.matchAll({ type: 'window' }).then((open) => {
      const [first] = open
      return first ? first.focus().then(() => first.navigate(path)) : self.clients.openWindow(path)
    }),
  )
})
