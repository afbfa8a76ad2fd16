import { newLeasedOutput, stepLeasedOutput, type LeasedOutput, type OutputEvent, type OutputGuards } from '@dewpost/core/control';
import { isExpired, type DoMessage, type DoneMessage, type NodeConfiguration } from '@dewpost/core/wire';

type Configured = NodeConfiguration['outputs'][number];

interface OutputRun {
  guards: OutputGuards;
  leaseSeconds: number;
  readBack: DoneMessage['readBack'];
  state: LeasedOutput;
  lastCommand: string | null;
  /** It was on since its contacts were last whole. */
  hasRun: boolean;
  answers: Map<string, DoneMessage>;
}

/** Answers to commands that may be asked again. */
const MOST_ANSWERS = 64;
/** The lease of who switches at the node's own page, ms. */
const OWN_LEASE_MS = 60_000;

/** The outputs of a stand-in node: run by `core/control` on its own clock, with a lease each, and fail-safe while an image is written. */
export class NodeOutputs {
  /** An image is being written: outputs stay fail-safe. */
  updating = false;
  private readonly runs = new Map<string, OutputRun>();

  constructor(
    outputs: readonly Configured[],
    private readonly parts: {
      done(message: DoneMessage): void;
      /** An output has moved. */
      moved(point: string, on: boolean): void;
      /** Its contacts are welded. */
      welded(): boolean;
    },
  ) {
    for (const output of outputs) this.runs.set(output.point, newRun(output));
  }

  has(point: string): boolean {
    return this.runs.has(point);
  }

  isOn(point: string): boolean {
    return this.runs.get(point)?.state.output.on ?? false;
  }

  states(): { point: string; on: boolean }[] {
    return [...this.runs.keys()].map((point) => ({ point, on: this.isOn(point) }));
  }

  setGuards(outputs: readonly Configured[]): void {
    for (const output of outputs) {
      const run = this.runs.get(output.point);
      if (run) run.guards = guardsOf(output.guards);
    }
  }

  /** Before an image is written: all go to their fail-safe state, and stay there. */
  makeSafe(): void {
    this.updating = true;
    for (const [point, run] of this.runs)
      if (this.step(point, run, { kind: 'fail-safe', at: performance.now() })) this.tell(point, run, 'ended', 'updating');
  }

  /** Without supply they fall off; nobody is told. Gives those there are. */
  fallOff(): string[] {
    for (const run of this.runs.values()) run.state = newLeasedOutput(performance.now());
    return [...this.runs.keys()];
  }

  /** What each does, once its node has a link: `power-up` after a start. */
  tellAll(afterStart: boolean): void {
    for (const [point, run] of this.runs)
      if (afterStart) this.tell(point, { ...run, lastCommand: null }, 'ended', 'power-up');
      else this.tell(point, run, run.state.output.on ? 'done' : 'ended', run.state.output.reason);
  }

  /** Switched at its own page: obeys every guard, with a lease like any command. Gives what keeps it from it, `null`: done. */
  switchHere(point: string, on: boolean): string | null {
    const run = this.runs.get(point);
    if (!run) return 'there is no such output';
    if (on && this.updating) return 'updating';
    const at = performance.now();
    this.step(point, run, on ? { kind: 'command', at, on, leaseMs: OWN_LEASE_MS } : { kind: 'off-by-hand', at });
    const { output } = run.state;
    this.tell(point, { ...run, lastCommand: null }, output.on === on ? 'done' : 'held', output.reason);
    return output.on === on ? null : output.reason;
  }

  /** A command; one that is asked again gets the answer it had. */
  obey(command: DoMessage): void {
    const run = this.runs.get(command.point);
    if (!run) return;
    const before = run.answers.get(command.id);
    if (before) return this.parts.done(before);
    if (isExpired(command, Date.now())) return this.answer(run, command, 'refused', 'expired');
    if (command.value && this.updating) return this.answer(run, command, 'refused', 'updating');
    run.lastCommand = command.id;
    this.step(command.point, run, eventOf(command));
    const { output } = run.state;
    this.answer(run, command, output.on === command.value ? 'done' : 'held', output.reason);
  }

  /**
   * With the link down its own thresholds go on, within every guard; what was switched off by hand or made safe stays so. `wanted` says what
   * they ask of an output, `null`: nothing.
   */
  goOnAlone(wanted: (point: string) => boolean | null, reportSeconds: number): void {
    if (this.updating) return;
    for (const [point, run] of this.runs) {
      const on = wanted(point);
      if (on === null || run.state.heldOff !== null || (!on && !run.state.output.on)) continue;
      // A lease of its own, that its next reading renews.
      const leaseMs = Math.max(run.leaseSeconds, 3 * reportSeconds) * 1000;
      if (this.step(point, run, { kind: 'command', at: performance.now(), on, leaseMs })) run.lastCommand = null;
    }
  }

  /** Time passes: leases and maximum runs end, commands that waited are granted. */
  tick(): void {
    for (const [point, run] of this.runs) {
      if (!this.step(point, run, { kind: 'tick', at: performance.now() })) continue;
      const { reason } = run.state.output;
      this.tell(point, run, reason === 'lease' || reason === 'max-run' ? 'ended' : 'done', reason);
    }
  }

  /** Gives whether it moved. */
  private step(point: string, run: OutputRun, event: OutputEvent): boolean {
    const wasOn = run.state.output.on;
    run.state = stepLeasedOutput(run.guards, run.state, event);
    const { on } = run.state.output;
    if (on === wasOn) return false;
    run.hasRun = on || this.parts.welded();
    this.parts.moved(point, on);
    return true;
  }

  private answer(run: OutputRun, { point, id }: DoMessage, result: DoneMessage['result'], reason: string): void {
    const message = messageOf(point, { ...run, lastCommand: id }, result, reason, this.isWelded(run));
    run.answers.set(id, message);
    if (run.answers.size > MOST_ANSWERS) run.answers.delete(run.answers.keys().next().value ?? '');
    this.parts.done(message);
  }

  private tell(point: string, run: OutputRun, result: DoneMessage['result'], reason: string): void {
    this.parts.done(messageOf(point, run, result, reason, this.isWelded(run)));
  }

  private isWelded(run: OutputRun): boolean {
    return run.hasRun && this.parts.welded();
  }
}

function eventOf(command: DoMessage): OutputEvent {
  const at = performance.now();
  const leaseMs = command.leaseSeconds * 1000;
  if (command.value) return { kind: 'command', at, on: true, leaseMs };
  if (command.reason === 'hand') return { kind: 'off-by-hand', at };
  if (command.reason === 'sensor-lost' || command.reason === 'limit') return { kind: 'fail-safe', at };
  return { kind: 'command', at, on: false, leaseMs };
}

function messageOf(point: string, run: OutputRun, result: DoneMessage['result'], reason: string, welded: boolean): DoneMessage {
  const { output } = run.state;
  const now = performance.now();
  const until = {
    'min-off': output.changedAt + run.guards.minOffMs,
    'min-on': output.changedAt + run.guards.minOnMs,
    rest: output.restUntil ?? now,
    'max-run': output.restUntil ?? now,
  }[reason];
  return {
    id: run.lastCommand,
    point,
    result,
    reason,
    state: output.on || welded,
    readBack: run.readBack,
    lastedMs: Math.round(Math.max(0, now - output.changedAt)),
    ...(until !== undefined && { waitMs: Math.max(0, Math.round(until - now)) }),
  };
}

function guardsOf(guards: Configured['guards']): OutputGuards {
  return {
    minOnMs: guards.minOnSeconds * 1000,
    minOffMs: guards.minOffSeconds * 1000,
    maxRunMs: guards.maxRunSeconds === null ? null : guards.maxRunSeconds * 1000,
    restMs: guards.restSeconds * 1000,
    dailyCapMs: null,
  };
}

const newRun = (output: Configured): OutputRun => ({
  guards: guardsOf(output.guards),
  leaseSeconds: output.leaseSeconds,
  readBack: output.readBack,
  state: newLeasedOutput(performance.now()),
  lastCommand: null,
  hasRun: false,
  answers: new Map(),
});
