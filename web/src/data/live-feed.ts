import { live, type LiveEvent, type LiveReading } from '@dewpost/contract';
import { inject, Injectable } from '@angular/core';
import { Store } from '@ngrx/store';
import { Subject } from 'rxjs';
import { Api, ApiError, messageOf } from './api';
import { LiveConnection, type LiveMessage } from './live-connection';
import { openLiveWorker } from './live-worker-port';
import { LiveActions } from './live.actions';
import type { FromTab } from './live.worker';

/** Feeds the store from one snapshot and the live stream after it, without a gap; traces take their readings from `readings`. */
@Injectable({ providedIn: 'root' })
export class LiveFeed {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  /** Every reading as it comes; series do not go through the store. */
  readonly readings = new Subject<LiveReading[]>();
  /** The snapshot was fetched anew: traces fetch what they missed. */
  readonly restarted = new Subject<void>();
  private channel: { send(message: FromTab): void } | null = null;
  private after: { boot: string; sequence: number } | null = null;
  private early: Extract<LiveMessage, { kind: 'frame' }>[] = [];
  private loading = false;

  /** Opens the channel first and fetches the snapshot second: frames that come before it wait. */
  async open(): Promise<void> {
    this.channel ??= this.makeChannel();
    await this.load();
  }

  private async load(): Promise<void> {
    if (this.loading) return;
    this.loading = true;
    this.after = null;
    try {
      const snapshot = await this.api.call(live.snapshot, {});
      const [boot = '', sequence] = snapshot.live.split('-');
      this.after = { boot, sequence: Number(sequence) };
      this.store.dispatch(LiveActions.snapshotLoaded({ snapshot }));
      this.channel?.send({ kind: 'open', from: snapshot.live });
      for (const frame of this.early.splice(0)) this.frame(frame);
      this.restarted.next();
    } catch (error) {
      if (error instanceof ApiError && error.status === 401) this.store.dispatch(LiveActions.sessionEnded());
      else {
        this.store.dispatch(LiveActions.snapshotFailed({ message: messageOf(error) }));
        setTimeout(() => void this.load(), 3000);
      }
    } finally {
      this.loading = false;
    }
  }

  private take(message: LiveMessage): void {
    switch (message.kind) {
      case 'frame':
        if (this.after) this.frame(message);
        else this.early.push(message);
        break;
      case 'link':
        this.store.dispatch(LiveActions.linkChanged({ connected: message.connected }));
        break;
      case 'reset':
        void this.load();
        break;
      case 'ended':
        this.store.dispatch(LiveActions.sessionEnded());
        break;
    }
  }

  private frame(frame: Extract<LiveMessage, { kind: 'frame' }>): void {
    if (!this.after || (frame.boot === this.after.boot && frame.sequence <= this.after.sequence)) return;
    this.after = { boot: frame.boot, sequence: frame.sequence };
    const events = frame.events as LiveEvent[];
    this.store.dispatch(LiveActions.eventsArrived({ events }));
    for (const event of events) if (event.type === 'readings') this.readings.next(event.readings);
  }

  private makeChannel(): { send(message: FromTab): void } {
    const take = (message: LiveMessage): void => this.take(message);
    let send: (message: FromTab) => void;
    if (typeof SharedWorker === 'undefined') {
      const connection = new LiveConnection('/api/v1/live', take);
      send = (message) => {
        if (message.kind === 'open') connection.start(message.from);
        else if (message.kind === 'visible') connection.start();
        else connection.stop();
      };
    } else {
      const worker = openLiveWorker();
      worker.port.onmessage = ({ data }: MessageEvent<LiveMessage>) => take(data);
      send = (message) => worker.port.postMessage(message);
    }
    document.addEventListener('visibilitychange', () => send({ kind: document.hidden ? 'hidden' : 'visible' }));
    window.addEventListener('pagehide', () => send({ kind: 'bye' }));
    // A page brought back from the browser's store has said goodbye: begin anew.
    window.addEventListener('pageshow', (event) => {
      if (event.persisted) location.reload();
    });
    return { send };
  }
}
