/// <reference lib="webworker" />
import { runPlanJob, type PlanJob } from './plan-jobs';

// A job that is no longer wanted is ended with its worker: a loop cannot hear a message.
addEventListener('message', ({ data }: MessageEvent<{ id: number; job: PlanJob }>) => {
  const { id, job } = data;
  try {
    const answer = runPlanJob(job, (done) => postMessage({ id, done }));
    postMessage({ id, answer }, answer.kind === 'coverage' ? [answer.margins.buffer] : []);
  } catch (error) {
    postMessage({ id, problem: error instanceof Error ? error.message : String(error) });
  }
});
