import type { Logger } from 'pino';

type Hearer<T> = (what: T) => void | Promise<void>;

/**
 * What has happened, told to whoever wants to hear of it: after the commit, never before. Who tells does not know who hears, and how many.
 * Local to this process; `M` names the kinds and what is told of each.
 */
export class Events<M extends object> {
  private readonly hearers = new Map<keyof M, Set<Hearer<never>>>();

  constructor(private readonly log: Logger) {}

  /** Hears of this from now on, until the function that is given back is called. */
  on<K extends keyof M>(kind: K, hearer: Hearer<M[K]>): () => void {
    const all = this.hearers.get(kind) ?? new Set();
    this.hearers.set(kind, all);
    all.add(hearer);
    return () => all.delete(hearer);
  }

  /** Tells all who hear of it, in the order they came, and waits until each is done. The first error is thrown once all have heard. */
  async settle<K extends keyof M>(kind: K, what: M[K]): Promise<void> {
    const errors: unknown[] = [];
    for (const hearer of this.hearers.get(kind) ?? []) {
      try {
        await (hearer as Hearer<M[K]>)(what);
      } catch (error) {
        errors.push(error);
      }
    }
    if (errors.length > 0) throw errors[0];
  }

  /** Tells without waiting; what goes wrong is logged, and nobody else misses it for that. */
  tell<K extends keyof M>(kind: K, what: M[K]): void {
    for (const hearer of this.hearers.get(kind) ?? []) {
      const failed = (error: unknown): void => this.log.error({ err: error, event: String(kind) }, 'who hears of this failed');
      try {
        const done = (hearer as Hearer<M[K]>)(what);
        if (done) void done.catch(failed);
      } catch (error) {
        failed(error);
      }
    }
  }
}
