import { setImmediate } from 'node:timers/promises';
import type { Logger } from 'pino';
import type { Database, Transaction } from '../database/connect';
import { runAlone, type Statement } from '../database/prepared';
import { databaseAway } from './sql-state';

/** What follows from a change once it is committed: what memory is to know, and who is told. */
export class Outcome {
  private readonly steps: (() => void)[] = [];
  private readonly orders: (() => void)[] = [];
  private readonly news: (() => void)[] = [];

  /** What memory is to know after the commit, in order of the calls. It neither waits nor fails. */
  apply(step: () => void): void {
    this.steps.push(step);
  }

  /** What goes out before anybody is told: a command to a node waits for no page. */
  order(step: () => void): void {
    this.orders.push(step);
  }

  /** Whom to tell once memory knows; a failure undoes nothing and keeps nobody else from hearing. */
  tell(step: () => void): void {
    this.news.push(step);
  }

  /** Called by `Store` after the commit. Resolves when all are told. */
  async finish(onFault: (error: unknown) => void): Promise<void> {
    const run = (steps: readonly (() => void)[]): void => {
      for (const step of steps) {
        try {
          step();
        } catch (error) {
          onFault(error);
        }
      }
    };
    for (const step of this.steps) step();
    run(this.orders);
    // The broker writes at the next turn of the event loop: what is told to others is told after it.
    if (this.orders.length > 0) await setImmediate();
    run(this.news);
  }
}

/**
 * One change of what is known: written in one transaction, and only once that is committed put into memory and told. Whoever writes a
 * row says beside it what follows from it.
 */
export class Change extends Outcome {
  constructor(readonly trx: Transaction) {
    super();
  }
}

/** The connection was lost while a transaction was being committed: nobody knows whether the database has it. */
export class UnknownOutcome extends Error {
  constructor(cause: unknown) {
    super('the database went away while it committed: what it has must be read again', { cause });
  }
}

/** The one way for state to change: decide, write, apply to memory, tell. */
export class Store {
  private readonly lanes = new Map<string, Promise<unknown>>();
  /** Commits that got no answer: whoever has seen fewer of them reads again what it keeps in memory before it decides anything. */
  unanswered = 0;

  constructor(
    readonly database: Database,
    private readonly log: Logger,
  ) {}

  /**
   * Runs `write` in one transaction, then applies and tells what it has noted. Throws what `write` throws, and then nothing has
   * changed anywhere; throws `UnknownOutcome` where the commit itself got no answer.
   */
  async commit<T>(write: (change: Change) => Promise<T>): Promise<T> {
    const noted: { change: Change | null; written: boolean } = { change: null, written: false };
    let result: T;
    try {
      result = await this.database.transaction(async (trx) => {
        noted.change = new Change(trx);
        const value = await write(noted.change);
        noted.written = true;
        return value;
      });
    } catch (error) {
      if (!noted.written) throw error;
      this.unanswered++;
      throw new UnknownOutcome(error);
    }
    if (noted.change) await this.finish(noted.change);
    return result;
  }

  /**
   * The same for a change that is one statement, which is its own transaction: one way to the database and back. Throws `UnknownOutcome`
   * where it got no answer, and otherwise what the database throws, and then nothing has changed anywhere. `null`: there is nothing to write.
   */
  async commitStatement(statement: Statement | null, outcome: Outcome): Promise<void> {
    try {
      if (statement) await runAlone(this.database, statement);
    } catch (error) {
      if (!databaseAway(error)) throw error;
      this.unanswered++;
      throw new UnknownOutcome(error);
    }
    await this.finish(outcome);
  }

  private finish(outcome: Outcome): Promise<void> {
    return outcome.finish((error) => this.log.error({ err: error }, 'a change was committed, and somebody could not be told of it'));
  }

  /** The same, after all before it under this key: for what is decided from memory. */
  commitInTurn<T>(key: string, write: (change: Change) => Promise<T>): Promise<T> {
    return this.inTurn(key, () => this.commit(write));
  }

  /** Runs a piece of work after all before it under this key; a failure is the caller's and holds up nobody. */
  inTurn<T>(key: string, work: () => Promise<T>): Promise<T> {
    const before = this.lanes.get(key) ?? Promise.resolve();
    const result = before.then(work);
    const settled = result.then(
      () => undefined,
      () => undefined,
    );
    this.lanes.set(key, settled);
    void settled.then(() => {
      if (this.lanes.get(key) === settled) this.lanes.delete(key);
    });
    return result;
  }
}
