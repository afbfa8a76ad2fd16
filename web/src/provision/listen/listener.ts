import { LineReader, meaningOf, readableShare, type LineEnd, type LineMeaning, type SerialLine } from '@dewpost/core/listen';
import type { SignalPort } from '@dewpost/core/rom-loader';
import { signal } from '@angular/core';

export interface HeardLine extends SerialLine {
  readonly id: number;
  readonly meaning: LineMeaning;
}

/** So many lines are kept; the oldest go. */
export const MOST_LINES = 20_000;
/** A line without an end is shown once it has been quiet for so long, ms: prompts never end theirs. */
const QUIET_MS = 400;
/** What came is shown so often, ms. */
const SHOWN_MS = 100;
/** So many bytes are looked at to tell whether the rate is right. */
const JUDGED_BYTES = 160;
const RESET_MS = 120;

/** Listens at one port: its bytes as lines, with what they mean; the port is given back when it ends. */
export class Listener {
  readonly lines = signal<readonly HeardLine[]>([]);
  /** Lines that were kept no longer. */
  readonly dropped = signal(0);
  readonly state = signal<{ readonly is: 'off' | 'open' } | { readonly is: 'lost'; readonly why: string }>({ is: 'off' });
  /** Share of the newest bytes that reads as text; `null`: too few to tell. */
  readonly readable = signal<number | null>(null);
  private port: SignalPort | null = null;
  private reader = new LineReader();
  private recent: number[] = [];
  private waiting: HeardLine[] = [];
  private next = 1;
  private flushing: ReturnType<typeof setTimeout> | null = null;
  private quiet: ReturnType<typeof setTimeout> | null = null;

  constructor(private readonly now: () => number = Date.now) {}

  /** Takes a port that was opened; whatever it listened at before is let go. */
  take(port: SignalPort, end: LineEnd): void {
    this.close();
    this.port = port;
    this.ends(end);
    this.state.set({ is: 'open' });
    port.onBytes((bytes) => this.hear(bytes));
    port.onClosed((why) => {
      if (this.port !== port) return;
      this.port = null;
      this.state.set({ is: 'lost', why });
    });
  }

  /** Another end of line counts from here on. */
  ends(end: LineEnd): void {
    this.rest();
    this.reader = new LineReader(end);
  }

  /** Another rate; what came before is no measure for it. Rejects where the port cannot be opened with it. */
  async rate(baud: number): Promise<void> {
    this.recent = [];
    this.readable.set(null);
    await this.port?.rate(baud);
  }

  /** Resets the board by its control line, where the port has one; its boot pin stays released, so that it starts what it has. */
  async restart(): Promise<void> {
    await this.port?.signals(false, true);
    await new Promise((done) => setTimeout(done, RESET_MS));
    await this.port?.signals(false, false);
  }

  clear(): void {
    this.lines.set([]);
    this.dropped.set(0);
  }

  close(): void {
    const { port } = this;
    this.port = null;
    for (const timer of [this.flushing, this.quiet]) if (timer !== null) clearTimeout(timer);
    this.flushing = this.quiet = null;
    this.rest();
    this.flush();
    port?.close();
    this.state.set({ is: 'off' });
    this.recent = [];
    this.readable.set(null);
  }

  private hear(bytes: Uint8Array): void {
    this.recent = [...this.recent, ...bytes].slice(-JUDGED_BYTES);
    this.add(this.reader.take(bytes, this.now()));
    if (this.quiet !== null) clearTimeout(this.quiet);
    this.quiet = setTimeout(() => this.rest(), QUIET_MS);
    this.flushing ??= setTimeout(() => this.flush(), SHOWN_MS);
  }
  private rest(): void {
    const line = this.reader.rest();
    if (!line) return;
    this.add([line]);
    this.flushing ??= setTimeout(() => this.flush(), SHOWN_MS);
  }
  private add(lines: readonly SerialLine[]): void {
    for (const line of lines) this.waiting.push({ ...line, id: this.next++, meaning: meaningOf(line.text, line.code) });
  }
  private flush(): void {
    this.flushing = null;
    this.readable.set(readableShare(Uint8Array.from(this.recent)));
    if (this.waiting.length === 0) return;
    const all = [...this.lines(), ...this.waiting];
    this.waiting = [];
    if (all.length > MOST_LINES) this.dropped.update((before) => before + all.length - MOST_LINES);
    this.lines.set(all.slice(-MOST_LINES));
  }
}
