import type { Logger } from 'pino';
import { emptyVerdict, type Received, type Verdict } from './batch';
import { decode } from './decode';
import { Lanes, type InLane } from './lanes';
import { takeIn, type PipelineParts } from './pipeline';
import { PoisonError } from './poison';
import { tooLateAfterMs } from '../model/periods';
import { databaseAway } from '../store/sql-state';
import { UnknownOutcome } from '../store/change';

export const LIMITS = { perNode: 64, inAll: 20_000, uncommittedMs: 10_000 } as const;

interface Waiting extends InLane {
  received: Received;
  resolve(verdict: Verdict): void;
  /** Under pressure the sender is let go without an answer and sends again later. */
  reject(reason: PressureError): void;
}

/** The sender has to be let go unacknowledged: too much is waiting, or the database does not answer. */
export class PressureError extends Error {}

const TRIES = 40;
const RETRY_MS = 250;
const FAILING_MS = 60_000;
const POISON = 'the database cannot hold this message: check its names and values';

/**
 * Gathers messages while a batch is being committed, so that many share one transaction; decides those of one node in order of arrival,
 * what is live before what nodes kept while they were away.
 */
export class Intake {
  private readonly lanes = new Lanes<Waiting>();
  /** Ends the rest between two turns of what was kept: something live has come. */
  private wake: () => void = () => undefined;
  private readonly perNode = new Map<string, number>();
  private uncommitted = 0;
  private running = false;
  private stopping = false;
  /** When nothing could be stored last, ms. */
  private failedAt = -Infinity;
  /** Readings stored in the last minute, by second. */
  private readonly stored: { second: number; count: number }[] = [];

  constructor(
    private readonly parts: PipelineParts,
    private readonly log: Logger,
    private readonly take: typeof takeIn = takeIn,
  ) {}

  /** Messages that were taken and are not committed yet. */
  get messagesWaiting(): number {
    return this.uncommitted;
  }

  /** Resolves once every record of the message is stored or refused. Rejects with `PressureError` only. */
  add(message: Omit<Received, 'decoded'>): Promise<Verdict> {
    // Read here, while the batch before is being written: the database and this process work side by side.
    const received: Received = { ...message, decoded: decode(message) };
    const node = received.node.name;
    const mine = this.perNode.get(node) ?? 0;
    if (this.stopping || mine >= LIMITS.perNode || this.uncommitted >= LIMITS.inAll) {
      return Promise.reject(new PressureError(mine >= LIMITS.perNode ? `${node} has ${mine} messages waiting` : 'intake is full'));
    }
    this.perNode.set(node, mine + 1);
    this.uncommitted++;
    const decided = new Promise<Verdict>((resolve, reject) => {
      const late = setTimeout(() => reject(new PressureError('not committed in 10 s')), LIMITS.uncommittedMs);
      this.lanes.add({
        received,
        sender: node,
        records: received.decoded.samples.length,
        isLate: wasKept(received),
        since: performance.now(),
        resolve: (verdict) => {
          clearTimeout(late);
          resolve(verdict);
        },
        reject: (error) => {
          clearTimeout(late);
          reject(error);
        },
      });
    });
    if (this.running) this.wake();
    else void this.run();
    return decided;
  }

  /** Nothing could be stored when that was tried last, and that is not long ago: nobody may have sent anything since. */
  get failing(): boolean {
    return Date.now() - this.failedAt < FAILING_MS;
  }

  /** Readings stored within the last 60 s. */
  readingsPerMinute(): number {
    const since = Math.floor(Date.now() / 1000) - 60;
    return this.stored.reduce((sum, slot) => sum + (slot.second > since ? slot.count : 0), 0);
  }

  /** Decides what has been taken and refuses more. */
  async drain(): Promise<void> {
    this.stopping = true;
    while (this.running) await new Promise((resolve) => setTimeout(resolve, 5));
  }

  private async run(): Promise<void> {
    this.running = true;
    for (let next = this.lanes.next(performance.now()); next !== null; next = this.lanes.next(performance.now())) {
      if ('waitMs' in next) {
        await this.rest(next.waitMs);
        continue;
      }
      const { batch } = next;
      const began = performance.now();
      await this.commit(batch);
      this.lanes.took(began, performance.now());
      for (const { received } of batch) {
        const left = (this.perNode.get(received.node.name) ?? 1) - 1;
        if (left > 0) this.perNode.set(received.node.name, left);
        else this.perNode.delete(received.node.name);
      }
      this.uncommitted -= batch.length;
    }
    this.running = false;
  }

  /** Resolves after so many ms, or as soon as something comes. */
  private rest(ms: number): Promise<void> {
    return new Promise((resolve) => {
      const timer = setTimeout(resolve, ms);
      this.wake = () => {
        clearTimeout(timer);
        resolve();
      };
    });
  }

  /**
   * Commits a batch. While the database is away it is tried again. One that fails otherwise is halved until what fails is alone: refused
   * where the database cannot hold it, let go without an answer where the fault is ours. Nobody else is kept from being stored.
   */
  private async commit(batch: readonly Waiting[]): Promise<void> {
    for (let attempt = 1; ; attempt++) {
      try {
        const verdicts = await this.parts.engine.work(() =>
          this.take(
            this.parts,
            batch.map((waiting) => waiting.received),
          ),
        );
        this.failedAt = -Infinity;
        this.count(verdicts);
        batch.forEach((waiting, i) => waiting.resolve(verdicts[i] ?? emptyVerdict()));
        return;
      } catch (error) {
        if (error instanceof UnknownOutcome || databaseAway(error)) {
          this.failedAt = Date.now();
          this.parts.engine.couldNotListen();
          if (attempt === 1) this.log.error({ err: error }, 'a batch could not be stored; it is held and tried again');
          if (attempt >= TRIES) {
            batch.forEach((waiting) => waiting.reject(new PressureError('the database does not answer')));
            return;
          }
          await new Promise((resolve) => setTimeout(resolve, RETRY_MS));
          continue;
        }
        const [only, ...others] = batch;
        if (!only) return;
        if (others.length > 0) {
          const half = Math.ceil(batch.length / 2);
          await this.commit(batch.slice(0, half));
          await this.commit(batch.slice(half));
          return;
        }
        this.settleAlone(only, error);
        return;
      }
    }
  }

  private settleAlone(message: Waiting, error: unknown): void {
    const { node } = message.received;
    if (!(error instanceof PoisonError)) {
      this.log.error({ err: error, node: node.name }, 'a message could not be decided; its sender is not answered');
      message.reject(new PressureError('could not be decided'));
      return;
    }
    this.log.error({ err: error, node: node.name }, 'a message the database cannot hold was refused');
    this.parts.note([{ node, level: 'refused', text: POISON }]);
    message.resolve({ ...emptyVerdict(), refused: [{ point: null, why: POISON }] });
  }

  private count(verdicts: readonly Verdict[]): void {
    const second = Math.floor(Date.now() / 1000);
    const count = verdicts.reduce((sum, verdict) => sum + verdict.stored, 0);
    const last = this.stored.at(-1);
    if (last?.second === second) last.count += count;
    else this.stored.push({ second, count });
    while (this.stored[0] && this.stored[0].second < second - 60) this.stored.shift();
  }
}

/** All of it was measured long before it came: its node was away and kept it. */
const wasKept = ({ node, arrivedAt, decoded: { samples } }: Received): boolean =>
  samples.length > 0 && samples.every(({ at }) => at !== null && at < arrivedAt - tooLateAfterMs(node));
