/** A worker for rehearsals; in a file of its own, since only the bundler can resolve its address. */
export const openRehearsalWorker = (): Worker =>
  new Worker(new URL('./rehearsal.worker', import.meta.url), { type: 'module', name: 'dewpost-rehearsal' });
