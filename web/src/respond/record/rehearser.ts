import { inject, Injectable, type OnDestroy } from '@angular/core';
import { AskedAway } from './asked-away';
import type { RecordOfPoint, RehearsalAnswer, RehearsalJob } from './rehearsal-jobs';

/** Where workers for rehearsals come from; a browser's own. */
@Injectable({ providedIn: 'root' })
export class RehearsalWorkers {
  // Loaded when it is asked for: nothing of it is needed to open a page.
  open(): Promise<Worker> {
    return import('./rehearsal-port').then(({ openRehearsalWorker }) => openRehearsalWorker());
  }
  openResponse(): Promise<Worker> {
    return import('./rehearsal-port').then(({ openResponseWorker }) => openResponseWorker());
  }
}

/** Rehearses away from the page. */
@Injectable()
export class Rehearser extends AskedAway<RecordOfPoint, RehearsalJob, RehearsalAnswer> implements OnDestroy {
  constructor() {
    const workers = inject(RehearsalWorkers);
    super(() => workers.open());
  }
  ngOnDestroy(): void {
    this.end();
  }
}
