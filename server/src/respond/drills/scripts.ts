import { freshForMs, isTwoStates } from '@dewpost/core/alarm';
import type { DrillKind } from '@dewpost/core/proof';
import { nodeKey, thresholdKey } from '../../engine/effects';
import type { PointEntry, ThresholdEntry } from '../../model/entries';
import { intervalSeconds } from '../../model/periods';
import { switchByHand } from '../switching';
import { formatDuration } from '@dewpost/core/quantity';
import { CannotDrill, type Stage } from './stage';

/** What a network, a broker and a server may take between them, ms: common practice for one on the spot. */
const ON_THE_SPOT_MS = 5000;
const LINKS_LOST_MS = 90_000;
const ALL_BACK_MS = 180_000;
const MOST_DELAY_SECONDS = 900;
const RUNS_SECONDS = 120;
/** Reports after which a drill calls a sensor stuck: by its own habit that takes hours. */
const STUCK_REPORTS = 3;

type Script = (stage: Stage) => Promise<void>;

const intervalMs = (point: PointEntry): number => 1000 * intervalSeconds(point);

/** A contact of a stand-in whose rule raises an alert. */
function contactRule(stage: Stage, fits: (rule: ThresholdEntry) => boolean, missing: string): ThresholdEntry {
  const [first] = stage
    .rules()
    .filter(({ id, point, rule }) => {
      const stands = stage.parts.engine.isOpen(thresholdKey(id));
      return (
        !stands &&
        point.node.connected &&
        rule.side === 'high' &&
        rule.consequences.includes('alert') &&
        isTwoStates(rule.confirm, point.body)
      );
    })
    .filter(fits)
    .sort((a, b) => a.rule.onDelaySeconds - b.rule.onDelaySeconds);
  if (!first) throw new CannotDrill(missing);
  return first;
}

async function lifted(stage: Stage, rule: ThresholdEntry, what: string): Promise<void> {
  const { engine, standins } = stage.parts;
  const { point } = rule;
  const [key, onMs] = [thresholdKey(rule.id), rule.rule.onDelaySeconds * 1000];
  const move = (value: number) => (): Promise<unknown> => standins.set({ what: 'act', node: point.node.name, point: point.name, value });
  await stage.set(move(1), move(0));
  await stage.expect(what, onMs + ON_THE_SPOT_MS, () => engine.isOpen(key), Math.max(0, onMs - 1000));
  await stage.told(key);
  await move(0)();
  const offMs = rule.rule.offDelaySeconds * 1000;
  await stage.expect('it is over once it is put back', offMs + ON_THE_SPOT_MS, () => {
    const alert = engine.state.alerts.get(key);
    return !alert || alert.returnedAt !== null;
  });
}

/** Runs a free output by hand, until it is read back. */
async function running(stage: Stage, fits: (output: PointEntry) => boolean, missing: string): Promise<PointEntry> {
  const { engine } = stage.parts;
  const [output] = stage.freeOutputs().filter(fits);
  if (!output) throw new CannotDrill(missing);
  const { minOffSeconds = 0, maxRunSeconds = null } = output.body.output?.guards ?? {};
  const seconds = Math.min(RUNS_SECONDS + minOffSeconds, maxRunSeconds ?? Infinity);
  await stage.set(
    () => switchByHand(stage.parts, output.id, { on: true, seconds, reason: 'a drill' }, stage.by),
    () => switchByHand(stage.parts, output.id, { on: false, reason: 'the drill is over' }, stage.by),
  );
  await stage.expect(
    `${output.body.label} of ${output.node.title} reads on`,
    minOffSeconds * 1000 + ON_THE_SPOT_MS,
    () => engine.state.relays.get(output.id)?.state === true,
  );
  return output;
}

const nothingRuns = (stage: Stage): (() => boolean) => {
  const { engine } = stage.parts;
  return () =>
    stage.nodes.every((node) =>
      [...node.points.values()].every(
        (point) => !point.body.output || engine.state.relays.get(point.id)?.state !== true || engine.state.demands.has(point.id),
      ),
    );
};

/** What is done, and what has to follow, for each drill. Throws `CannotDrill` where nothing there is fit for it. */
export const SCRIPTS: Readonly<Record<DrillKind, Script>> = {
  async flood(stage) {
    const rule = contactRule(
      stage,
      ({ point }) => /flood|float|leak/.test(point.name),
      'No float of a connected stand-in has a rule that raises an alert: set one under Thresholds.',
    );
    await lifted(stage, rule, `${rule.point.body.label} of ${rule.point.node.title} raises an alert`);
  },
  async 'left-open'(stage) {
    const rule = contactRule(
      stage,
      ({ rule: { onDelaySeconds } }) => onDelaySeconds > 0 && onDelaySeconds <= MOST_DELAY_SECONDS,
      'No contact of a connected stand-in has a rule with a delay of a quarter of an hour at most: set one under Thresholds.',
    );
    await lifted(stage, rule, `${rule.point.body.label} of ${rule.point.node.title} raises an alert, and not before its delay`);
  },
  async 'stuck-on'(stage) {
    const { standins, engine } = stage.parts;
    const output = await running(
      stage,
      ({ body }) => body.output?.readBack === 'contact' || body.output?.readBack === 'load',
      'No output of a connected stand-in is free and read back by a contact: wait until one is off.',
    );
    const [node, key] = [output.node.name, nodeKey('output-stuck', output.node, output)];
    const weld = (on: boolean) => (): Promise<unknown> => standins.set({ what: 'node', node, kind: 'welded', on });
    await stage.set(weld(true), weld(false));
    await switchByHand(stage.parts, output.id, { on: false, reason: 'a drill' }, stage.by);
    await stage.expect('it reads on after off: a critical alert', 2 * ON_THE_SPOT_MS, () => engine.isOpen(key));
    await stage.told(key);
    await weld(false)();
    await switchByHand(stage.parts, output.id, { on: false, reason: 'the drill is over' }, stage.by);
    await stage.expect('it reads off once it is put back', 2 * ON_THE_SPOT_MS, () => engine.state.relays.get(output.id)?.state === false);
  },
  async 'sensor-failed'(stage) {
    const { standins, engine } = stage.parts;
    const found = stage
      .rules()
      .find(({ point, rule }) => point.name === 'humidity' && rule.output !== null && rule.act === 'on' && point.node.connected);
    if (!found) throw new CannotDrill('No rule on the humidity of a connected stand-in switches an output on: set one under Thresholds.');
    const { point, rule } = found;
    const node = point.node.name;
    const fail = (on: boolean) => (): Promise<unknown> => standins.set({ what: 'node', node, kind: 'failed', on });
    await stage.set(fail(true), fail(false));
    const failedAt = engine.now();
    const quality = (): string | undefined => engine.state.newest.get(point.id)?.quality;
    await stage.expect(
      `${point.body.label} of ${point.node.title} is marked bad`,
      2 * intervalMs(point) + ON_THE_SPOT_MS,
      () => quality() === 'bad',
    );
    // What runs by it has to be off once its last good reading is stale; until then nothing may begin.
    const staleMs = freshForMs(intervalSeconds(point));
    const commands = (): boolean => engine.state.commands.get(rule.output ?? 0)?.on === true;
    const ran = commands();
    let began = false;
    await stage.expect(
      'nothing begins by it, and what ran is told off',
      staleMs + 2 * ON_THE_SPOT_MS,
      () => {
        began ||= commands() && !ran;
        return !began && !commands() && engine.now() - failedAt >= staleMs;
      },
      0,
    );
    await fail(false)();
    await stage.expect('good readings are back', 2 * intervalMs(point) + ON_THE_SPOT_MS, () => quality() === 'good');
  },
  async 'sensor-stuck'(stage) {
    const { standins, engine, registry } = stage.parts;
    const newest = (id: number) => engine.state.newest.get(id);
    const point = stage.nodes
      .flatMap((node) => (node.connected ? [...node.points.values()] : []))
      .find(({ id, name, body }) => name === 'humidity' && body.stuckAfterSeconds !== null && newest(id)?.quality === 'good');
    if (!point) throw new CannotDrill('No connected stand-in measures humidity and reads well: wait until one does.');
    const { node } = point;
    const what = `${point.body.label} of ${node.title}`;
    const reportMs = 1000 * intervalSeconds(point);
    const stuckMs = STUCK_REPORTS * reportMs;
    const stick = (on: boolean) => async (): Promise<unknown> => {
      if (on) registry.stuckSooner.set(point.id, stuckMs);
      else registry.stuckSooner.delete(point.id);
      return standins.set({ what: 'node', node: node.name, kind: 'stuck', on });
    };
    await stage.set(stick(true), stick(false));
    const stuckAt = engine.now();
    await stage.expect(`${what} stands still`, 2 * reportMs + ON_THE_SPOT_MS, () => (newest(point.id)?.at ?? 0) > stuckAt);
    const held = newest(point.id)?.value;
    await stage.expect(
      `it is marked as doubtful: its own figure, ${formatDuration(1000 * (point.body.stuckAfterSeconds ?? 0))}, is put to ${formatDuration(stuckMs)} for the drill`,
      stuckMs + 2 * reportMs + ON_THE_SPOT_MS,
      () => newest(point.id)?.reason === 'stuck',
    );
    await stick(false)();
    await stage.expect('it moves again, and good readings are back', 3 * reportMs + ON_THE_SPOT_MS, () => {
      const now = newest(point.id);
      return now?.quality === 'good' && now.value !== held;
    });
  },
  async 'network-down'(stage) {
    const { standins } = stage.parts;
    const network = (await standins.state()).networks.find(({ down }) => !down);
    const before = stage.nodes.filter(({ connected }) => connected);
    if (!network || before.length === 0) throw new CannotDrill('No network of the stand-ins is up.');
    const down = (on: boolean) => (): Promise<unknown> => standins.set({ what: 'network', network: network.name, on });
    await stage.set(down(true), down(false));
    await stage.expect(`links over ${network.name} are known to be lost`, LINKS_LOST_MS, () => before.some(({ connected }) => !connected));
    await stage.expect('no output is shown as it was: what cannot be seen is unknown', ON_THE_SPOT_MS, () =>
      before
        .filter(({ connected }) => !connected)
        .every((node) => [...node.points.values()].every(({ id }) => (stage.parts.engine.state.relays.get(id)?.state ?? null) === null)),
    );
    await down(false)();
    await stage.expect(`all ${before.length} are back`, ALL_BACK_MS, () => before.every(({ connected }) => connected));
    await stage.expect('nothing runs that nobody wants', 4 * ON_THE_SPOT_MS, nothingRuns(stage));
  },
  async 'power-cut'(stage) {
    const { standins, engine } = stage.parts;
    const before = stage.nodes.filter(({ connected }) => connected);
    if (before.length === 0) throw new CannotDrill('No stand-in is connected.');
    const all = (on: boolean) => (): Promise<unknown> =>
      Promise.all(before.map(({ name }) => standins.set({ what: 'node', node: name, kind: 'silent', on })));
    const cutAt = engine.now();
    await stage.set(all(true), all(false));
    await stage.expect(`all ${before.length} are gone`, LINKS_LOST_MS, () => before.every(({ connected }) => !connected));
    await all(false)();
    await stage.expect(`all ${before.length} report in again`, ALL_BACK_MS, () =>
      before.every(({ connected, helloAt }) => connected && (helloAt ?? 0) >= cutAt),
    );
    await stage.expect('nothing runs that nobody wants', 4 * ON_THE_SPOT_MS, nothingRuns(stage));
  },
  async 'server-lost'(stage) {
    const { registry, engine } = stage.parts;
    const output = await running(
      stage,
      ({ id }) => registry.thresholdsSwitching(id).length === 0,
      'No output of a connected stand-in is free, off, and without a rule of its own: wait until one is.',
    );
    const { node } = output;
    const leaseMs = (output.body.output?.leaseSeconds ?? 60) * 1000;
    const lose = (): Promise<void> => {
      registry.deafTo.add(node.name);
      stage.parts.disconnect(node.name);
      return Promise.resolve();
    };
    const find = (): Promise<void> => {
      registry.deafTo.delete(node.name);
      return Promise.resolve();
    };
    await stage.set(lose, find);
    await stage.expect('it is as if the server were gone', ON_THE_SPOT_MS, () => !node.connected);
    // Nobody renews what was asked: when the link is back, its own lease has to be over.
    await switchByHand(stage.parts, output.id, { on: false, reason: 'a drill: nobody renews it' }, stage.by);
    const lostAt = performance.now();
    await stage.expect(
      `its lease of ${leaseMs / 1000} s has passed`,
      leaseMs + ON_THE_SPOT_MS,
      () => performance.now() - lostAt >= leaseMs + 1000,
    );
    await find();
    await stage.expect(`${node.title} is back`, ALL_BACK_MS, () => node.connected);
    await stage.expect('it reads off', ON_THE_SPOT_MS, () => engine.state.relays.get(output.id)?.state === false);
  },
};
