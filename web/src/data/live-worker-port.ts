/** The worker that all tabs of a browser share; in a file of its own, since only the bundler can resolve its address. */
export const openLiveWorker = (): SharedWorker =>
  new SharedWorker(new URL('./live.worker', import.meta.url), { type: 'module', name: 'dewpost-live' });
