import type { SaidMessage, SayMessage, ShowMessage } from '@dewpost/core/wire';

const CHIRPS_AFTER_MS = 300_000;
const CHIRPS_EVERY_MS = 60_000;

/** A node with its link, and what it switches. */
interface Linked {
  readonly connected: boolean;
  readonly configuration: { readonly outputs: readonly unknown[] };
}

/** What a stand-in node says aloud and shows: heard by whoever listens at its port, seen by whoever looks at its page. */
export class NodeVoice {
  /** What it is saying; `null`: nothing. */
  saying: string | null = null;
  /** How its lamp and its display stand while it says nothing; `null`: dark and empty. */
  showing: Pick<ShowMessage, 'show' | 'light'> | null = null;
  private timer: NodeJS.Timeout | null = null;
  private shown: NodeJS.Timeout | null = null;
  private orderId: string | null = null;

  /** Since when it has had no link, ms of a clock that nobody sets; `null`: it has one. */
  private lostAt: number | null = null;
  private chirps = 0;

  constructor(private readonly heard: (text: string) => void) {}

  /** Without a link for five minutes a sounder chirps once a minute, from now on: silence is never taken for peace. Ends with its timer. */
  watch(node: Linked): NodeJS.Timeout {
    return setInterval(() => this.look(node), 1000);
  }

  private look({ connected, configuration }: Linked): void {
    const now = performance.now();
    // As it says in its hello: what switches something has a sounder.
    this.lostAt = connected || configuration.outputs.length === 0 ? null : (this.lostAt ?? now);
    const lostMs = this.lostAt === null ? 0 : now - this.lostAt;
    const due = lostMs < CHIRPS_AFTER_MS ? 0 : 1 + Math.floor((lostMs - CHIRPS_AFTER_MS) / CHIRPS_EVERY_MS);
    if (due > this.chirps) this.heard('chirp: no link to Dew Post');
    this.chirps = due;
  }

  /** Does it chirp now and then, since nobody is there to tell it anything? */
  get isChirping(): boolean {
    return this.chirps > 0;
  }

  /** Says it for its time, in the place of what it was saying; silent while an image is written. Gives its answer. */
  say({ id, say, seconds }: SayMessage, ready: boolean): SaidMessage {
    if (!ready) return { id, said: false, why: 'an image is being written' };
    this.hush();
    this.heard(say);
    this.saying = say;
    this.orderId = id;
    this.timer = setTimeout(() => this.hush(), seconds * 1000);
    return { id, said: true, why: '' };
  }

  /** Shows it until it is told otherwise, or until nobody vouches for it any more. Gives its answer. */
  show({ id, show, light, seconds }: ShowMessage): SaidMessage {
    this.goDark();
    this.showing = { show, light };
    this.shown = setTimeout(() => this.goDark(), seconds * 1000);
    return { id, said: true, why: '' };
  }

  /** Without power it says and shows nothing. */
  silence(): void {
    this.lostAt = null;
    this.chirps = 0;
    this.hush();
    this.goDark();
  }

  private goDark(): void {
    if (this.shown) clearTimeout(this.shown);
    this.shown = null;
    this.showing = null;
  }

  /** Somebody has heard what it says by this order; what it says since goes on. */
  hushOf(id: string): void {
    if (this.orderId === id) this.hush();
  }

  hush(): void {
    if (this.timer) clearTimeout(this.timer);
    this.timer = null;
    this.saying = null;
    this.orderId = null;
  }
}
