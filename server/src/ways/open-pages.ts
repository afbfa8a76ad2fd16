import type { LiveEvent } from '@dewpost/contract';
import type { HandsetMessage } from '@dewpost/core/wire';

/** A page that does not confirm within this time has not shown it, ms. */
const SHOWN_WITHIN_MS = 10_000;

/** Messages that somebody's open pages show: on a phone in the building, wherever that person is signed in. */
export class OpenPages {
  /** By the message: for whom it is, and who waits for the first page that has shown it. */
  private readonly waiting = new Map<string, { account: string; shown(): void }>();

  constructor(private readonly parts: { publish(events: LiveEvent[]): void; shownWithinMs?: number }) {}

  /** Resolves once a page of this account has shown it. Rejects with words where none does. */
  async show(account: string, message: HandsetMessage): Promise<void> {
    const within = this.parts.shownWithinMs ?? SHOWN_WITHIN_MS;
    const shown = await new Promise<boolean>((resolve) => {
      const timer = setTimeout(() => resolve(false), within);
      timer.unref();
      this.waiting.set(message.id, {
        account,
        shown: () => {
          clearTimeout(timer);
          resolve(true);
        },
      });
      this.parts.publish([{ type: 'told', to: account, message }]);
    }).finally(() => this.waiting.delete(message.id));
    if (!shown) throw new Error(`no page of ${account} has shown it within ${within / 1000} s: is one open?`);
  }

  /** A page has shown it; `false` where nobody waits for that, or where it was for somebody else. */
  taken(id: string, account: string): boolean {
    const one = this.waiting.get(id);
    if (one?.account !== account) return false;
    one.shown();
    return true;
  }
}
