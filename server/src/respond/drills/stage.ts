import { switchedBy } from '@dewpost/core/alarm';
import { stepPassed, type DrillStep } from '@dewpost/core/proof';
import type { HandsetMessage } from '@dewpost/core/wire';
import type { Engine } from '../../engine/engine';
import type { NodeEntry, PointEntry, ThresholdEntry } from '../../model/entries';
import type { Registry } from '../../model/registry';
import type { Standins } from './standins';

/** How often is looked whether something has happened, ms. */
const LOOK_MS = 100;

/** A drill was stopped, or its server ends. */
export class DrillStopped extends Error {}
/** What is there cannot be drilled, in words for a person. */
export class CannotDrill extends Error {}

/** Everything a drill does goes through here: what it waits for is written down, and what it set is put back, whatever happens. */
export class Stage {
  readonly steps: DrillStep[] = [];
  private readonly putBack: (() => Promise<unknown>)[] = [];
  private stopped: string | null = null;
  private readonly messages: HandsetMessage[] = [];

  constructor(
    readonly parts: { standins: Standins; registry: Registry; engine: Engine; disconnect(node: string): void },
    readonly by: string,
    /** Nodes of the stand-ins: no other is touched. */
    readonly nodes: readonly NodeEntry[],
  ) {}

  /** A message to a person has arrived meanwhile. */
  heard(message: HandsetMessage): void {
    this.messages.push(message);
  }

  stop(why: string): void {
    this.stopped = why;
  }

  /** Does something now, and `back` once the drill is over. The way back is known before anything is done. */
  async set(act: () => Promise<unknown>, back: () => Promise<unknown>): Promise<void> {
    this.throwIfStopped();
    this.putBack.push(back);
    await act();
  }

  /** Waits for what has to happen. Gives whether it did in its time; the drill goes on where it did not. */
  async expect(what: string, limitMs: number, happened: () => boolean, notBeforeMs = 0): Promise<boolean> {
    const begun = performance.now();
    const place = this.steps.push({ what, limitMs, notBeforeMs, ms: null }) - 1;
    for (;;) {
      this.throwIfStopped();
      const ms = Math.round(performance.now() - begun);
      if (happened()) {
        const step = { what, limitMs, notBeforeMs, ms };
        this.steps[place] = step;
        return stepPassed(step, true) === true;
      }
      if (ms > limitMs) return false;
      await new Promise((resolve) => setTimeout(resolve, LOOK_MS));
    }
  }

  /** Waits for a message about an alert of this key, or of a node. */
  told(key: string, limitMs = 10_000): Promise<boolean> {
    const { engine } = this.parts;
    return this.expect('somebody is told', limitMs, () => {
      const alert = engine.state.alerts.get(key);
      return this.messages.some(({ alertId, title }) => alert !== undefined && (alertId === alert.id || title === alert.title));
    });
  }

  /** Puts everything back, the last first; goes on where one of it fails. Gives what could not be. */
  async restore(): Promise<unknown[]> {
    const failed: unknown[] = [];
    for (const back of this.putBack.splice(0).reverse()) await back().catch((error: unknown) => failed.push(error));
    return failed;
  }

  rules(): ThresholdEntry[] {
    return [...this.parts.registry.thresholds.values()].filter(
      ({ point, rule }) =>
        this.isStandin(point.node) &&
        this.parts.registry.armedAt(point) &&
        switchedBy(rule).every(({ output }) => this.outputIsSafe(output)),
    );
  }

  /** Outputs that may be moved: armed, free, off, and nobody wants them on. */
  freeOutputs(): PointEntry[] {
    const { registry, engine } = this.parts;
    return this.nodes
      .flatMap((node) => (node.connected ? [...node.points.values()] : []))
      .filter(
        (point) =>
          point.body.output !== null &&
          point.lock === null &&
          registry.armedAt(point) &&
          engine.state.relays.get(point.id)?.state === false &&
          !engine.state.demands.has(point.id),
      );
  }

  isStandin(node: NodeEntry): boolean {
    return this.nodes.includes(node);
  }

  private outputIsSafe(output: number): boolean {
    const point = this.parts.registry.points.get(output);
    return !point || this.isStandin(point.node);
  }

  private throwIfStopped(): void {
    if (this.stopped !== null) throw new DrillStopped(this.stopped);
  }
}
