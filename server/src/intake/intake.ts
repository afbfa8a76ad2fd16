import type { Logger } from 'pino';
import { emptyVerdict, type Received, type Verdict } from './batch';
import { decode } from './decode';
import { takeIn, type PipelineParts } from './pipeline';

export const LIMITS = { perNode: 64, inAll: 20_000, uncommittedMs: 10_000, batchMessages: 1000 } as const;

interface Waiting {
  received: Received;
  resolve(verdict: Verdict): void;
  /** Under pressure the sender is let go without an answer and sends again later. */
  reject(reason: PressureError): void;
}

/** The sender has to be let go unacknowledged: too much is waiting, or the database does not answer. */
export class PressureError extends Error {}

const POISON = 'the database cannot hold this message: check its names and values';

const sqlState = (error: unknown): string => {
  const code = (error as { code?: unknown }).code;
  return typeof code === 'string' ? code : '';
};

/**
 * Gathers messages while a batch is being committed, so that many share one transaction; decides them in order of arrival.
 */
export class Intake {
  private waiting: Waiting[] = [];
  private readonly perNode = new Map<string, number>();
  private uncommitted = 0;
  private running = false;
  private stopping = false;
  /** Readings stored in the last minute, by second. */
  private readonly stored: { second: number; count: number }[] = [];

  constructor(
    private readonly parts: PipelineParts,
    private readonly log: Logger,
    private readonly take: typeof takeIn = takeIn,
  ) {}

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
      this.waiting.push({
        received,
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
    if (!this.running) void this.run();
    return decided;
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
    while (this.waiting.length > 0) {
      const batch = this.waiting.splice(0, LIMITS.batchMessages);
      await this.commit(batch);
      for (const { received } of batch) {
        const left = (this.perNode.get(received.node.name) ?? 1) - 1;
        if (left > 0) this.perNode.set(received.node.name, left);
        else this.perNode.delete(received.node.name);
      }
      this.uncommitted -= batch.length;
    }
    this.running = false;
  }

  /** Commits a batch. One that the database finds poisonous is halved until the bad message is alone, which is refused. */
  private async commit(batch: readonly Waiting[]): Promise<void> {
    for (let attempt = 1; ; attempt++) {
      try {
        const verdicts = await this.parts.engine.work(() =>
          this.take(
            this.parts,
            batch.map((waiting) => waiting.received),
          ),
        );
        this.count(verdicts);
        batch.forEach((waiting, i) => waiting.resolve(verdicts[i] ?? emptyVerdict()));
        return;
      } catch (error) {
        const poison = /^2[23]/.test(sqlState(error)) || error instanceof TypeError || error instanceof RangeError;
        if (poison && batch.length > 1) {
          const half = Math.ceil(batch.length / 2);
          await this.commit(batch.slice(0, half));
          await this.commit(batch.slice(half));
          return;
        }
        if (poison) {
          const node = batch[0]?.received.node;
          this.log.error({ err: error, node: node?.name }, 'a message the database cannot hold was refused');
          if (node)
            await this.parts
              .refused(node, POISON)
              .catch((failure: unknown) => this.log.error({ err: failure }, 'a log line was not written'));
          batch[0]?.resolve({ ...emptyVerdict(), refused: [{ point: null, why: POISON }] });
          return;
        }
        this.log.error({ err: error, attempt }, 'a batch could not be stored; it is held and tried again');
        if (attempt >= 40) {
          batch.forEach((waiting) => waiting.reject(new PressureError('the database does not answer')));
          return;
        }
        await new Promise((resolve) => setTimeout(resolve, 250));
      }
    }
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
