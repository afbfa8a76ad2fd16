import type { Provable, TripTest } from '@dewpost/contract';
import { inAlarm } from '@dewpost/core/alarm';
import { isThrough, NO_TIMES, proofDueAt, ruleOfTest, type TestTimes } from '@dewpost/core/proof';
import { formatDuration } from '@dewpost/core/quantity';
import type { DoneMessage, HandsetMessage } from '@dewpost/core/wire';
import type { Logger } from 'pino';
import { thresholdKey } from '../engine/effects';
import type { Engine } from '../engine/engine';
import { testTitle } from '../engine/evaluate';
import { titleOf } from '../engine/rule-words';
import type { Hub } from '../events/hub';
import type { PointEntry, ThresholdEntry } from '../model/entries';
import type { HouseEvents, HouseEventKinds } from '../model/house-events';
import { intervalSeconds } from '../model/periods';
import type { Registry } from '../model/registry';
import { notFound, ProblemError } from '../problem/problem';
import { AtTime } from '../store/at-time';
import type { Change, Store } from '../store/change';
import { endedTests, lastTests } from './trip-test-rows';
import { dueAt, figuresOf, NO_FIGURES, readinessOf, scopeOf } from './trip-test-ready';
import { legsIn, viewOf, type UnderWay } from './trip-test-view';

interface Parts {
  store: Store;
  registry: Registry;
  engine: Engine;
  hub: Hub;
  events: HouseEvents;
  log: Logger;
}

/** Beyond its report interval a test waits so long for what is to happen, ms: a person who lifts a float takes a while. */
const PATIENCE_MS = 60_000;
const BY_HAND_MS = 180_000;
/** Commands and read-backs are waited for so long beyond what the guards of an output may hold it, ms. */
const PUT_BACK_MS = 15_000;
const DRAWN_OUT = 'its time was up';

/**
 * Proves one rule at a time on its real node: its setpoint is put just beyond the present value, its delays are left out, each leg is timed,
 * and everything is put back: when all legs have ended, when somebody stops it, when its time is up, when the server starts anew.
 */
export class TripTests {
  private running: UnderWay | null = null;
  private readonly ends: AtTime<'end' | 'put back'>;

  constructor(private readonly parts: Parts) {
    this.ends = new AtTime(parts.log, 'a trip test could not be ended; it is tried again');
    const { events } = parts;
    events.on('readings', (readings) => this.read(readings));
    events.on('timePassed', () => this.timePassed());
    events.on('readBack', ({ output, done }) => this.readBack(output, done));
    events.on('delivered', (message) => this.delivered(message));
    events.on('retired', ({ name }) => (this.running?.view.node === name ? this.end('its node is retired') : undefined));
  }

  /** A test that a server left open is over, and what it switched stands down. Once the engine knows its state. */
  async load(): Promise<void> {
    const { store, engine, registry } = this.parts;
    for (const [rule, at] of (await lastTests(store.database)).passedAt) registry.provedAt.set(rule, at);
    const left = (await store.database('trip_test').whereNull('ended_at').select('id', 'threshold_id')) as {
      id: number;
      threshold_id: number;
    }[];
    for (const { id, threshold_id: threshold } of left)
      await engine.changeThresholds([threshold], 'the trip test was cut off: the server started anew', async (change) => {
        await change
          .trx('trip_test')
          .where({ id })
          .update({ ended_at: new Date(), ended_why: 'cut off: the server started anew', passed: false });
      });
  }

  stop(): void {
    this.ends.stop();
  }

  async list(): Promise<{ running: TripTest | null; rules: Provable[]; before: TripTest[] }> {
    const { store, registry, engine } = this.parts;
    const [before, { last, passedAt }] = [await endedTests(store.database), await lastTests(store.database)];
    const now = engine.now();
    const rules = [...registry.thresholds.values()].map((entry): Provable => {
      const ready = readinessOf(this.parts, entry, now);
      const passed = passedAt.get(entry.id) ?? null;
      return {
        threshold: entry.id,
        hindered: ready.hindered,
        how: ready.hindered === null ? ready.forcing.how : null,
        ...(ready.hindered === null ? figuresOf(ready) : NO_FIGURES),
        last: last.get(entry.id) ?? null,
        passedAt: passed,
        dueAt: proofDueAt(entry.rule.severity, passed),
      };
    });
    return { running: this.running && viewOf(this.running), rules, before };
  }

  /** Begins a test. Throws 409 where another runs, or where something hinders it, with the words. */
  async begin(thresholdId: number, by: string): Promise<TripTest> {
    const { engine, registry } = this.parts;
    if (!registry.thresholds.has(thresholdId)) throw notFound(`threshold ${thresholdId} in force`);
    let begun: UnderWay | null = null;
    const write = async (change: Change): Promise<void> => {
      const entry = registry.thresholds.get(thresholdId);
      if (!entry) throw notFound(`threshold ${thresholdId} in force`);
      begun = await this.write(change, entry, by);
    };
    await engine.changeThresholds([thresholdId], 'trip test begins', write, { countedUntil: Infinity });
    if (begun === null) throw new Error('a trip test was not begun');
    const { view } = begun as UnderWay;
    this.ends.set('end', view.until, () => this.end(DRAWN_OUT));
    return viewOf(begun);
  }

  /** Stops a test and puts everything back. Throws 404 where it does not run. */
  async stopTest(id: number, by: string): Promise<TripTest> {
    const { running } = this;
    if (running?.view.id !== id) throw notFound(`running trip test ${id}`);
    await this.end(`stopped by ${by}`);
    return viewOf(running);
  }

  private async write(change: Change, entry: ThresholdEntry, by: string): Promise<UnderWay> {
    const { registry, engine } = this.parts;
    if (this.running)
      throw new ProblemError(409, 'One at a time', `${this.running.view.title} is being tested by ${this.running.view.by}.`);
    const now = engine.now();
    const ready = readinessOf(this.parts, entry, now);
    if (ready.hindered !== null) throw new ProblemError(409, 'Cannot be tested now', `${titleOf(entry)}: ${ready.hindered}.`);
    const { forcing } = ready;
    const { point, rule } = entry;
    const figures = figuresOf(ready);
    const scope = scopeOf(entry, forcing);
    const output = scope.switches === null || rule.output === null ? null : (registry.points.get(rule.output) ?? null);
    // A guard may hold the output off for a while yet: it has that long besides.
    const { minOffSeconds = 0, restSeconds = 0 } = (scope.switches === 'on' && output?.body.output?.guards) || {};
    const waits =
      (forcing.how === 'by hand' ? BY_HAND_MS : 2000 * intervalSeconds(point) + PATIENCE_MS) + 1000 * Math.max(minOffSeconds, restSeconds);
    const row = {
      ...{ threshold_id: entry.id, version: entry.version, title: titleOf(entry), by_whom: by, how: forcing.how },
      ...{ setpoint: figures.setpoint, value: figures.value, low: figures.low, also_setpoint: figures.alsoSetpoint },
      ...{ output: output?.body.label ?? null, begun_at: new Date(now), until: new Date(now + waits) },
    };
    // One whose begin got no answer from the database is known to nobody here: it never ran.
    await change
      .trx('trip_test')
      .whereNull('ended_at')
      .update({ ended_at: new Date(now), ended_why: 'it never began: the database gave no answer', passed: false });
    const [written] = (await change.trx('trip_test').insert(row).returning('id')) as { id: number }[];
    if (!written) throw new Error('a trip test was not written');
    const running: UnderWay = {
      view: {
        ...{ id: written.id, threshold: entry.id, version: entry.version, title: row.title, node: point.node.name, by },
        ...{ ...figures, how: forcing.how, output: row.output, begunAt: now, until: now + waits },
      },
      ...{
        scope,
        output,
        points: [point, entry.beside, entry.also].filter((one) => one !== null),
        times: NO_TIMES,
        phase: 'waiting',
        why: null,
        detail: null,
        heldMs: 0,
        over: null,
      },
    };
    change.apply(() => {
      this.running = running;
      registry.test = { threshold: entry.id, by, rule: ruleOfTest(entry.engineRule, figures) };
    });
    change.tell(() => this.tell(running));
    return running;
  }

  private read(readings: HouseEventKinds['readings']): void {
    const { running } = this;
    if (running?.phase !== 'waiting') return;
    const reading = readings.findLast(({ point }) => running.points.includes(point));
    if (reading) this.ifTripped(running, { readAt: reading.at, arrivedAt: reading.arrivedAt });
  }

  /** A silence that became too long has no reading: it is timed from when it was, or from when the test began where that was later. */
  private timePassed(): void {
    const { running } = this;
    if (running?.phase !== 'waiting' || running.scope.reads) return;
    this.ifTripped(running, { arrivedAt: dueAt(this.parts, running.view) });
  }

  private ifTripped(running: UnderWay, by: Partial<TestTimes>): void {
    const { engine, registry } = this.parts;
    const state = engine.state.thresholds.get(running.view.threshold);
    if (!registry.testing(running.view.threshold) || !state || !inAlarm(state)) return;
    running.phase = 'tripped';
    // The first command counts: what is held is told again and again.
    const told = running.output && engine.state.commands.get(running.output.id);
    const commandedAt = told && told.at >= running.view.begunAt ? told.at : null;
    this.note(running, { ...by, trippedAt: engine.now(), commandedAt });
  }

  private readBack(output: PointEntry, done: DoneMessage): void {
    const { running } = this;
    if (running?.output !== output) return;
    const now = this.parts.engine.now();
    if (running.phase === 'putting back') {
      if (done.state === false) this.note(running, { offAt: running.times.offAt ?? now });
      return;
    }
    if (running.times.answeredAt !== null) return;
    const last = this.parts.engine.state.commands.get(output.id);
    if (!last || last.at < running.view.begunAt || done.id !== last.id) return;
    if (done.state === (running.scope.switches === 'on'))
      this.note(running, { commandedAt: running.times.commandedAt ?? last.at, answeredAt: now });
    else {
      running.heldMs = Math.max(running.heldMs, done.result === 'held' ? (done.waitMs ?? 0) : 0);
      const held = done.result === 'held' && done.waitMs !== undefined ? ` for ${formatDuration(done.waitMs)}` : '';
      running.detail = `${done.result}${held}: ${done.reason}`;
    }
  }

  private delivered({ alertId, title, trippedAt }: HandsetMessage): void {
    const { running } = this;
    if (!running || running.times.deliveredAt !== null) return;
    const alert = this.parts.engine.state.alerts.get(thresholdKey(running.view.threshold));
    const isNotice = title.startsWith(testTitle('')) && (trippedAt === running.times.readAt || !running.scope.reads);
    const isIts = alertId === null ? isNotice : alertId === alert?.id;
    if (isIts) this.note(running, { deliveredAt: this.parts.engine.now() });
  }

  private note(running: UnderWay, times: Partial<TestTimes>): void {
    running.times = { ...running.times, ...times };
    this.tell(running);
    if (running.phase === 'putting back') {
      if (running.times.offAt !== null) this.ends.set('put back', 0, () => this.close(running));
    } else if (isThrough(running.scope, running.times)) this.ends.set('end', 0, () => this.end('every leg has ended'));
  }

  /** Puts the rule in force again and its output off; what is told off is waited for. */
  private async end(why: string): Promise<void> {
    const { engine, registry } = this.parts;
    const { running } = this;
    if (!running || running.phase === 'putting back') return;
    const { view, output, scope } = running;
    await engine.changeThresholds(
      [view.threshold],
      'trip test over',
      (change) => {
        change.apply(() => {
          registry.test = null;
          running.phase = 'putting back';
          running.why = why;
          running.times = { ...running.times, restoredAt: engine.now() };
        });
        return Promise.resolve();
      },
      { countedUntil: view.begunAt },
    );
    this.ends.clear('end');
    this.tell(running);
    const isOn = output !== null && scope.switches === 'on' && running.times.commandedAt !== null;
    const heldMs = isOn ? (output.body.output?.guards.minOnSeconds ?? 0) * 1000 + PUT_BACK_MS : 0;
    if (isOn && running.times.offAt === null) this.ends.set('put back', engine.now() + heldMs, () => this.close(running));
    else await this.close(running);
  }

  /** Writes what came of it. */
  private async close(running: UnderWay): Promise<void> {
    const { store, engine, registry } = this.parts;
    if (this.running !== running) return;
    const { view, why } = running;
    const legs = legsIn(running);
    // What nobody let run to its end proves nothing.
    const passed = !(why ?? '').startsWith('stopped') && legs.every((leg) => leg.passed);
    const endedAt = engine.now();
    await store.commit(async (change) => {
      await change
        .trx('trip_test')
        .where({ id: view.id })
        .update({ ended_at: new Date(endedAt), ended_why: why, passed, legs: JSON.stringify(legs) });
      change.apply(() => {
        this.running = null;
        running.phase = 'over';
        running.over = { endedAt, passed };
        if (passed) registry.provedAt.set(view.threshold, endedAt);
      });
      change.tell(() => {
        this.tell(running);
        const entry = registry.thresholds.get(view.threshold);
        if (entry) this.parts.hub.publish([{ type: 'threshold', threshold: engine.thresholdView(entry) }]);
      });
    });
    this.ends.clear('put back');
  }

  private tell(running: UnderWay): void {
    this.parts.hub.publish([{ type: 'trip-test', test: viewOf(running) }]);
  }
}
