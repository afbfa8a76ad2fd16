import type { SaidMessage, SayMessage, ShowMessage } from '@dewpost/core/wire';

/** What a stand-in node says aloud and shows: heard by whoever listens at its port, seen by whoever looks at its page. */
export class NodeVoice {
  /** What it is saying; `null`: nothing. */
  saying: string | null = null;
  /** How its lamp and its display stand while it says nothing; `null`: dark and empty. */
  showing: Pick<ShowMessage, 'show' | 'light'> | null = null;
  private timer: NodeJS.Timeout | null = null;
  private shown: NodeJS.Timeout | null = null;
  private orderId: string | null = null;

  constructor(private readonly heard: (text: string) => void) {}

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
