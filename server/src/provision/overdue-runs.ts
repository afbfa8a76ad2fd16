import type { Run } from '@dewpost/contract';
import { CONTACT_SECONDS, firstPatienceSeconds } from '@dewpost/core/fit';
import type { Logger } from 'pino';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { measured } from './first-readings';
import type { StepReport } from './run-rows';

const LOOK_MS = 10_000;
const WORDS_LENGTH = 500;

/** Runs whose node has joined and says nothing, or sends no values of a sensor: nothing waits for ever. */
export class OverdueRuns {
  private timer: NodeJS.Timeout | null = null;
  /** Runs whose first contact this process has seen; of others, since when it looks at them: what they sent before a restart is not known. */
  private readonly heardHere = new Set<number>();
  private readonly lookedSince = new Map<number, number>();

  constructor(
    private readonly parts: {
      registry(): Registry;
      /** Runs under way of boards that are written. */
      running(): Promise<readonly Run[]>;
      log(): Logger;
      /** What has not come of a node, with why. */
      missing(node: NodeEntry): { point: string; text: string }[];
      /** Asks outputs that prove a node to answer once more. */
      askAnew(node: NodeEntry, run: number): Promise<void>;
      giveUp(run: number, node: NodeEntry, why: Pick<StepReport, 'step' | 'code' | 'detail'>): Promise<void>;
    },
  ) {}

  start(): void {
    this.timer = setInterval(() => {
      this.look(Date.now()).catch((error: unknown) => this.parts.log().error({ err: error }, 'overdue runs could not be looked at'));
    }, LOOK_MS);
  }
  stop(): void {
    if (this.timer) clearInterval(this.timer);
  }

  /** Its first contact came while this process listened. */
  heard(run: number): void {
    this.heardHere.add(run);
  }

  /** Gives up what is overdue at `now`, ms. */
  async look(now: number): Promise<void> {
    const running = await this.parts.running();
    this.forgetBut(new Set(running.map(({ id }) => id)));
    for (const run of running) {
      const node = this.parts.registry().nodes.get(run.node);
      if (node) await this.lookAt(run, node, now);
    }
  }

  /** What is over needs no remembering. */
  private forgetBut(ids: ReadonlySet<number>): void {
    for (const id of [...this.lookedSince.keys(), ...this.heardHere])
      if (!ids.has(id)) {
        this.lookedSince.delete(id);
        this.heardHere.delete(id);
      }
  }

  private async lookAt(run: Run, node: NodeEntry, now: number): Promise<void> {
    const [joined, contact] = (['join', 'contact'] as const).map((name) =>
      run.steps.find((step) => step.step === name && step.state === 'done'),
    );
    if (!this.lookedSince.has(run.id)) {
      this.lookedSince.set(run.id, now);
      // What a node of outputs only has answered before a restart is not known: it is asked anew.
      if (contact && !this.heardHere.has(run.id)) await this.parts.askAnew(node, run.id);
    }
    const since = this.heardHere.has(run.id) ? 0 : (this.lookedSince.get(run.id) ?? now);
    if (contact && now - Math.max(contact.at, since) > firstPatienceSeconds(node.reportSeconds) * 1000) {
      const missing = this.parts.missing(node).map(({ point, text }) => `${point}: ${text}`);
      await this.parts.giveUp(run.id, node, {
        step: 'readings',
        code: measured(node).length === 0 ? 'no-read-back' : 'no-readings',
        detail: `${missing.join('; ')} after ${Math.round((now - contact.at) / 1000)} s`.slice(0, WORDS_LENGTH),
      });
    } else if (joined && !contact && now - joined.at > CONTACT_SECONDS * 1000)
      await this.parts.giveUp(run.id, node, {
        step: 'contact',
        code: 'no-contact',
        detail: `joined, and no hello in ${CONTACT_SECONDS} s`,
      });
  }
}
