/** Workers for rehearsals; in a file of its own, since only the bundler can resolve their addresses. */
export const openRehearsalWorker = (): Worker =>
  new Worker(new URL('./rehearsal.worker', import.meta.url), { type: 'module', name: 'dewpost-rehearsal' });
export const openResponseWorker = (): Worker =>
  new Worker(new URL('../response/response.worker', import.meta.url), { type: 'module', name: 'dewpost-response' });
