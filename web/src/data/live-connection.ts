import type { LiveEvent, SharedEvent } from '@dewpost/contract';

/** What a live connection tells. */
export type LiveMessage =
  | { kind: 'frame'; boot: string; sequence: number; events: (LiveEvent | SharedEvent)[] }
  | { kind: 'link'; connected: boolean }
  /** The place in the stream is gone: fetch a snapshot anew. */
  | { kind: 'reset' }
  /** The right to look has ended. */
  | { kind: 'ended' };

/** One stream of server-sent events that survives reconnects: it goes on after the last frame it saw. */
export class LiveConnection {
  private source: EventSource | null = null;
  private last: string | null = null;
  private retry: ReturnType<typeof setTimeout> | null = null;

  constructor(
    private readonly url: string,
    private readonly tell: (message: LiveMessage) => void,
  ) {}

  get open(): boolean {
    return this.source !== null || this.retry !== null;
  }

  /** Begins after the id of a snapshot, or goes on where it stopped. */
  start(from?: string): void {
    if (this.open) return;
    this.last ??= from ?? null;
    const source = new EventSource(`${this.url}?from=${encodeURIComponent(this.last ?? '')}`);
    this.source = source;
    source.onopen = () => this.tell({ kind: 'link', connected: true });
    source.onmessage = (event: MessageEvent<string>) => {
      this.last = event.lastEventId;
      const [boot = '', sequence] = event.lastEventId.split('-');
      this.tell({ kind: 'frame', boot, sequence: Number(sequence), events: JSON.parse(event.data) as LiveEvent[] });
    };
    source.addEventListener('reset', (event: MessageEvent<string>) => {
      this.last = event.lastEventId;
      this.tell({ kind: 'reset' });
    });
    source.addEventListener('ended', () => {
      this.stop();
      this.tell({ kind: 'ended' });
    });
    source.onerror = () => {
      this.tell({ kind: 'link', connected: false });
      if (source.readyState !== EventSource.CLOSED) return;
      // Refused, not merely lost: signed out, or a server that is coming up.
      this.source = null;
      this.retry = setTimeout(() => {
        this.retry = null;
        this.start();
      }, 2000);
    };
  }

  /** Closes; `start` goes on from here. */
  stop(): void {
    this.source?.close();
    this.source = null;
    if (this.retry !== null) clearTimeout(this.retry);
    this.retry = null;
  }

  /** Forgets its place, for a new account. */
  forget(): void {
    this.stop();
    this.last = null;
  }
}
