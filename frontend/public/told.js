/* Part of the service worker: a notification that is tapped opens what it is about. */
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
