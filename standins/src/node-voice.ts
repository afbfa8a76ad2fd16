import type { SaidMessage, SayMessage } from '@dewpost/core/wire';

/** What a stand-in node says aloud: heard by whoever listens at its port or looks at its page. */
export class NodeVoice {
  /** What it is saying; `null`: nothing. */
  saying: string | null = null;
  private timer: NodeJS.Timeout | null = null;
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
