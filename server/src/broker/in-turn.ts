/** A retained message that has not come through by then is waited for no longer, ms: its node does not read. */
const PATIENCE_MS = 1000;

interface Waiting {
  readonly kept: boolean;
  readonly publish: (done: () => void) => void;
}

/**
 * Keeps what is published to one node in order. A message that is kept for who comes later takes longer on its way through the broker than one
 * that is not, and the broker drops what it would deliver after a later one, as a duplicate: settings sent with a command would be lost.
 */
export class InTurn {
  private readonly waiting = new Map<string, Waiting[]>();

  /** Publishes at once, or after the kept messages to the same node that are on their way. `kept`: it is one itself. */
  send(node: string, kept: boolean, publish: (done: () => void) => void): void {
    const queue = this.waiting.get(node);
    if (queue) queue.push({ kept, publish });
    else this.go(node, { kept, publish });
  }

  private go(node: string, { kept, publish }: Waiting): void {
    if (!kept) return publish(() => undefined);
    if (!this.waiting.has(node)) this.waiting.set(node, []);
    let over = false;
    const done = (): void => {
      if (over) return;
      over = true;
      clearTimeout(timer);
      this.next(node);
    };
    const timer = setTimeout(done, PATIENCE_MS);
    timer.unref();
    publish(done);
  }

  private next(node: string): void {
    const queue = this.waiting.get(node) ?? [];
    for (let one = queue.shift(); one; one = queue.shift()) {
      this.go(node, one);
      // It has its turn until it is through.
      if (one.kept) return;
    }
    this.waiting.delete(node);
  }
}
