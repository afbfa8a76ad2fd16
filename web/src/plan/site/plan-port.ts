/** A worker for the plan's arithmetic; in a file of its own, since only the bundler can resolve its address. */
export const openPlanWorker = (): Worker => new Worker(new URL('./plan.worker', import.meta.url), { type: 'module', name: 'dewpost-plan' });
