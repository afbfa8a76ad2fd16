import type { Alert, LiveEvent, Relay, Threshold } from '@dewpost/contract';
import type { DoneMessage } from '@dewpost/core/wire';
import { nodeView } from '../model/views';
import type { NodeEntry, PointEntry, ThresholdEntry } from '../model/entries';
import { ensureMonths } from '../database/partitions';
import { Outcome, type Change } from '../store/change';
import { ClockWatch, machineClock, type Clock } from './clock-watch';
import { Draft, emptyEngineState, type EngineState } from './draft';
import type { Effect } from './effects';
import { readStored } from './load';
import { movedWithClock } from './moved-clock';
import { takeReadBack } from './read-back';
import { Recorder, type Decided } from './recorder';
import { outOfReach, relayView } from './relay-view';
import { settleOutputs } from './settle';
import { floodOfOpen, hurriedOn } from './telling';
import { noteRuns, runParts } from './timetable-runs';
import { standDownNode, standDownRules } from './stand-down';
import { Ticker } from './ticker';
import { Writes } from './writes';
import { lookAt } from './look';
import { thresholdView } from './threshold-view';
import { type EngineParts } from './engine-parts';

/** Without a look for this long, nobody listened. */
const LISTENING_GAP_MS = 5000;
/** Everything of the engine is one lane of the store. */
const LANE = 'engine';

/**
 * Runs `core/alarm` and the outputs' demands for one shard. Everything that changes its state goes through `work`, one at
 * a time: batches of readings, ticks, changed thresholds, switching by hand, read-backs. Each works on a draft, which is kept when
 * its transaction is committed.
 */
export class Engine {
  state: EngineState = emptyEngineState();
  private readonly ticker: Ticker;
  /** Since when this server has listened without a gap, ms. */
  listeningSince: number;
  /** Commits without an answer that the state has been read anew after. */
  private answeredFor = 0;
  /** By how much the clock was set and the state has not been moved yet, ms: the database may be away just then. */
  private stepOwedMs = 0;
  private readonly clock: Clock;
  private readonly clockWatch: ClockWatch;
  /** When time was looked at last, by the clock that nobody sets, ms. */
  private tickedAt: number | null = null;
  private readonly recorder: Recorder;
  /** When the machine's clock was set last while this server ran, and by how much (ms). */
  clockSet: { at: number; byMs: number } | null = null;

  constructor(private readonly parts: EngineParts) {
    this.recorder = new Recorder(parts);
    this.ticker = new Ticker(parts.tickMs, parts.log);
    this.clock = parts.clock ?? machineClock;
    this.clockWatch = new ClockWatch(this.clock);
    this.listeningSince = this.now();
  }

  async load(): Promise<void> {
    const stored = await this.stored();
    this.state = { ...emptyEngineState(), ...stored, flood: floodOfOpen(stored.alerts, this.now()) };
    this.listeningSince = this.now();
  }

  /** The time of day, ms. */
  now(): number {
    return this.clock.wall();
  }

  start(): void {
    this.ticker.start(
      () => this.work(() => this.tick()),
      () => this.couldNotListen(),
    );
  }

  async stop(): Promise<void> {
    this.ticker.stop();
    await this.work(() => Promise.resolve());
  }

  /** Nothing that nodes say can be taken down just now: that nothing is heard of them says nothing of them. */
  couldNotListen(): void {
    this.listeningSince = this.now();
  }

  /** Runs one piece of work after all before it; a failure is the caller's and holds up nobody. */
  work<T>(piece: () => Promise<T>): Promise<T> {
    return this.parts.store.inTurn(LANE, piece);
  }

  /**
   * A working copy of the state, for the piece of work under way. After a commit that got no answer, whoever's, nodes and state are read
   * anew first: the database may know more than memory does. After the clock was set the state is moved first: whatever is decided next is
   * decided by the new time.
   */
  async draft(): Promise<Draft> {
    const { store, registry } = this.parts;
    const { unanswered } = store;
    if (this.answeredFor !== unanswered) {
      await registry.refresh(store.database);
      // Outputs go on being known as they are: what was told and read back is not the database's to say.
      const { relays: _stored, ...stored } = await this.stored();
      this.state = { ...this.state, ...stored };
      this.recorder.ids.forget();
      this.answeredFor = unanswered;
    }
    this.stepOwedMs += this.clockWatch.step();
    if (this.stepOwedMs !== 0) await this.clockWasSet(this.stepOwedMs);
    return new Draft(this.state);
  }

  /** Resolves when memory is as the database has it. */
  upToDate(): Promise<Draft> {
    return this.work(() => this.draft());
  }

  /**
   * One transaction for what was decided and what `write` writes besides; the draft is kept with it. Throws what fails, and then nothing has
   * changed. `write` may decide more by what it reads.
   */
  async transact<T>(
    draft: Draft,
    now: number,
    write: (change: Change) => Promise<Pick<Decided, 'effects' | 'first' | 'writes'> & { value: T }>,
  ): Promise<T> {
    return this.parts.store.commit(async (change) => {
      change.apply(() => draft.keep());
      const { value, ...decided } = await write(change);
      await this.recorder.record(change, { draft, now, listeningSince: this.listeningSince, ...decided });
      return value;
    });
  }

  /** The same where nothing else is read or written: one statement. `follow` says what else follows from it. */
  transactAlone(decided: Omit<Decided, 'listeningSince'>, follow?: (outcome: Outcome) => void): Promise<void> {
    return this.recorder.recordAlone({ listeningSince: this.listeningSince, ...decided }, follow);
  }

  /** Records effects that came from outside the readings (a hand, a changed threshold) and announces them. */
  apply(effects: readonly Effect[]): Promise<void> {
    return this.work(async () => this.transactAlone({ draft: await this.draft(), effects, now: this.now() }));
  }

  /** Ends what a node's outputs were asked for, with an off, in one change with what is written: it is written anew, or its board is taken off. */
  release<T>(node: NodeEntry, why: string, write: (change: Change) => Promise<T>, besides: readonly Effect[] = []): Promise<T> {
    return this.work(async () => {
      const draft = await this.draft();
      const now = this.now();
      const effects = standDownNode(draft, node, now, why);
      return this.transact(draft, now, async (change) => ({ value: await write(change), effects: [...besides, ...effects] }));
    });
  }

  /** Puts new versions of thresholds, or none, in force, in one change: the old ones' alerts are closed and the new ones start from normal. */
  changeThresholds(
    ids: readonly number[],
    why: string,
    write: (change: Change) => Promise<void>,
    { besides = [], countedUntil = null }: { readonly besides?: readonly Effect[]; readonly countedUntil?: number | null } = {},
  ): Promise<void> {
    return this.work(async () => {
      const draft = await this.draft();
      const now = this.now();
      const effects = standDownRules(draft, this.parts.registry, ids, { at: now, why, countedUntil });
      await this.transact(draft, now, async (change) => ({ value: await write(change), effects: [...effects, ...besides] }));
    });
  }

  thresholdView(entry: ThresholdEntry): Threshold {
    return thresholdView(this.state, this.parts.registry, entry);
  }

  isOpen(key: string): boolean {
    return this.state.alerts.has(key);
  }

  openAlerts(): Alert[] {
    return [...this.state.alerts.values()];
  }

  relayView(output: PointEntry, now: number): Relay {
    return relayView(this.state, output, now);
  }

  /** What a node read back from an output. */
  async readBack(node: NodeEntry, done: DoneMessage): Promise<void> {
    const output = node.points.get(done.point);
    if (!output?.body.output) return;
    await this.work(async () => {
      const draft = await this.draft();
      const now = this.now();
      const { effects, writes, reading } = takeReadBack(draft, node, output, done, now, this.parts.registry.midnight(now));
      if (reading) await ensureMonths(this.parts.store.database, [reading]);
      const first = (): LiveEvent[] =>
        reading ? [{ type: 'readings', readings: [[reading.point.id, reading.at, reading.value, 'good', null]] }] : [];
      await this.transactAlone({ draft, effects, now, writes, first, changed: [output] }, (outcome) =>
        outcome.tell(() => reading && this.parts.events.tell('readings', [{ ...reading, arrivedAt: now }])),
      );
    });
    await this.parts.events.settle('readBack', { node, output, done });
  }

  /** The link to a node is lost: the states of its outputs are unknown, never the last ones. */
  linkLost(node: NodeEntry): Promise<void> {
    return this.work(() => {
      const relays = outOfReach(this.state, node);
      for (const relay of relays) this.state.relays.set(relay.point, relay);
      this.parts.hub.publish([{ type: 'node', node: nodeView(node) }, ...relays.map((relay): LiveEvent => ({ type: 'relay', relay }))]);
      return Promise.resolve();
    });
  }

  /** A link is back, or a node has started: what its outputs were told before is forgotten, so that standing demands are told anew. */
  linkBack(node: NodeEntry): Promise<void> {
    return this.work(() => {
      for (const point of node.points.values()) this.state.commands.delete(point.id);
      return Promise.resolve();
    });
  }

  /** Puts alerts that were acknowledged, or put on a shelf, in the place of the open ones, once the database has it. */
  replaced(alerts: readonly Alert[]): void {
    const byId = new Map(alerts.map((alert) => [alert.id, alert]));
    for (const [key, open] of this.state.alerts) this.state.alerts.set(key, byId.get(open.id) ?? open);
  }

  /** A message of an alert did not arrive, however often it was tried: whoever comes next is told now. */
  notReached(alertId: number): Promise<void> {
    return this.work(async () => {
      const draft = await this.draft();
      const alert = [...this.state.alerts.values()].find(({ id }) => id === alertId);
      const hurried = alert && hurriedOn(alert, this.state, this.parts, this.now());
      if (!hurried) return;
      draft.told.set(alertId, hurried);
      draft.keep();
    });
  }

  private stored() {
    return readStored(this.parts.store.database, this.parts.registry, this.parts.shard);
  }

  /** One look at what time alone decides. */
  async tick(): Promise<void> {
    const { registry } = this.parts;
    const steady = this.clock.steady();
    const gapMs = steady - (this.tickedAt ?? steady);
    this.tickedAt = steady;
    const draft = await this.draft();
    const now = this.now();
    // While we did not listen nobody was silent.
    if (gapMs > Math.max(LISTENING_GAP_MS, 5 * this.parts.tickMs)) this.listeningSince = now;
    const { effects, runs, silences } = lookAt(this.state, draft, { ...this.parts, now, listeningSince: this.listeningSince });
    if (
      effects.length === 0 &&
      runs.length === 0 &&
      silences.length === 0 &&
      settleOutputs(registry, draft, now, this.listeningSince).length === 0
    ) {
      // Time that has passed at a threshold and decided nothing is made up from its readings after a restart.
      draft.keep();
      this.parts.events.tell('timePassed', now);
      return;
    }
    const first = (): LiveEvent[] => silences.map(({ node }): LiveEvent => ({ type: 'node', node: nodeView(node) }));
    const writes = new Writes();
    for (const part of runParts(runs, registry.timezone)) writes.beside(part);
    await this.transactAlone({ draft, effects, now, writes, first }, (outcome) => {
      outcome.apply(() => {
        noteRuns(runs);
        for (const { node, silent } of silences) node.silent = silent;
      });
      outcome.tell(() => this.parts.events.tell('timePassed', now));
    });
  }

  /** The clock was set: what has run of every delay and time limit has run, and no more. */
  private async clockWasSet(byMs: number): Promise<void> {
    this.parts.log.warn({ byMs }, 'the clock of this machine was set: delays and time limits go on from where they were');
    const now = this.now();
    const { draft, writes } = movedWithClock(this.state, byMs);
    const outcome = new Outcome();
    outcome.apply(() => {
      draft.keep();
      for (const node of this.parts.registry.nodes.values()) if (node.heardAt !== null) node.heardAt += byMs;
      this.listeningSince = now;
      this.clockSet = { at: now, byMs };
      this.stepOwedMs = 0;
    });
    await this.parts.store.commitStatement(writes.statement(this.parts.shard), outcome);
  }
}
