import { inject, Injectable, type OnDestroy } from '@angular/core';
import type { RecordOfPoint, RehearsalAnswer, RehearsalJob } from './rehearsal-jobs';

/** Where workers for rehearsals come from; a browser's own. */
@Injectable({ providedIn: 'root' })
export class RehearsalWorkers {
  // Loaded when it is asked for: nothing of it is needed to open a page.
  open(): Promise<Worker> {
    return import('./rehearsal-port').then(({ openRehearsalWorker }) => openRehearsalWorker());
  }
}

/** Rehearses away from the page: the record goes over once, then a question for every change of the draft; the newest answer counts. */
@Injectable()
export class Rehearser implements OnDestroy {
  private readonly workers = inject(RehearsalWorkers);
  private worker: Promise<Worker> | null = null;
  private newest = 0;
  private waiting: { id: number; resolve: (answer: RehearsalAnswer | null) => void } | null = null;

  async load(record: RecordOfPoint): Promise<void> {
    (await this.open()).postMessage({ record });
  }

  /** `null`: a newer question overtook it, or the worker failed. */
  async ask(job: RehearsalJob): Promise<RehearsalAnswer | null> {
    const id = ++this.newest;
    this.settle(null);
    const worker = await this.open();
    if (id !== this.newest) return null;
    return new Promise((resolve) => {
      this.waiting = { id, resolve };
      worker.postMessage({ id, job });
    });
  }

  ngOnDestroy(): void {
    this.settle(null);
    void this.worker?.then((worker) => worker.terminate());
  }

  private open(): Promise<Worker> {
    this.worker ??= this.workers.open().then((worker) => {
      worker.onmessage = ({ data }: MessageEvent<{ id: number; answer: RehearsalAnswer }>) => {
        if (data.id === this.waiting?.id) this.settle(data.answer);
      };
      worker.onerror = () => this.settle(null);
      return worker;
    });
    return this.worker;
  }

  private settle(answer: RehearsalAnswer | null): void {
    this.waiting?.resolve(answer);
    this.waiting = null;
  }
}
