import { signal } from '@angular/core';
import type { PlanAnswer, PlanJob } from './plan-jobs';
import { openPlanWorker } from './plan-port';

type FromWorker = { id: number } & ({ done: number } | { answer: PlanAnswer } | { problem: string });

/** Runs one kind of job away from the page, one at a time: a new one ends the one before. */
export class WorkerRun<K extends PlanJob['kind']> {
  private worker: Worker | null = null;
  private newest = 0;
  private busy = false;
  /** 0 to 1 while it works; `null` else. */
  readonly progress = signal<number | null>(null);
  readonly problem = signal<string | null>(null);

  constructor(private readonly answered: (answer: Extract<PlanAnswer, { kind: K }>) => void) {}

  start(job: Extract<PlanJob, { kind: K }>): void {
    if (this.busy) this.close();
    const id = ++this.newest;
    this.worker ??= this.open();
    this.busy = true;
    this.problem.set(null);
    this.progress.set(0);
    this.worker.postMessage({ id, job });
  }

  /** Gives up what is under way. */
  cancel(): void {
    if (this.busy) this.close();
  }

  close(): void {
    this.worker?.terminate();
    this.worker = null;
    this.end();
  }

  private end(): void {
    this.busy = false;
    this.progress.set(null);
  }

  private open(): Worker {
    const worker = openPlanWorker();
    worker.onmessage = ({ data }: MessageEvent<FromWorker>) => {
      if (data.id !== this.newest) return;
      if ('done' in data) {
        this.progress.set(data.done);
        return;
      }
      this.end();
      if ('problem' in data) this.problem.set(data.problem);
      else this.answered(data.answer as Extract<PlanAnswer, { kind: K }>);
    };
    worker.onerror = (event) => {
      this.close();
      this.problem.set(`This could not be worked out: ${event.message}. Change something on the plan, or read the page anew.`);
    };
    return worker;
  }
}
