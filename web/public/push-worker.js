// Shows what the house pushes to this browser while no page of it is open. It keeps nothing, and answers no request of a page.
self.addEventListener('install', () => self.skipWaiting());
self.addEventListener('activate', (event) => event.waitUntil(self.clients.claim()));

self.addEventListener('push', (event) => {
  let message = {};
  try {
    message = event.data ? event.data.json() : {};
  } catch {
    // Whatever it was, a browser demands that something is shown.
  }
  const grave = message.severity === 'critical' || message.severity === 'warning';
  event.waitUntil(
    self.registration.showNotification(String(message.title ?? 'A message of the house'), {
      body: String(message.text ?? 'Open the page of alerts.'),
      // One that is tried again takes the place of the one before it.
      tag: String(message.id ?? 'message'),
      icon: 'mark.svg',
      requireInteraction: message.severity === 'critical',
      ...(grave && { vibrate: [400, 200, 400] }),
      timestamp: Number(message.sentAt) || Date.now(),
    }),
  );
});

self.addEventListener('notificationclick', (event) => {
  event.notification.close();
  const page = new URL('respond/alerts', self.registration.scope).href;
  event.waitUntil(
    self.clients.matchAll({ type: 'window' }).then((windows) => {
      const there = windows.find((one) => one.url === page) ?? windows[0];
      return there ? there.focus().then((one) => one.navigate(page)) : self.clients.openWindow(page);
    }),
  );
});
