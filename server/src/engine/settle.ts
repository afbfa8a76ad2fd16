import { freshForMs } from '@dewpost/core/alarm';
import { isWantedInCycle, shareOf } from '@dewpost/core/control';
import { formatDuration } from '@dewpost/core/quantity';
import type { CommandReason } from '@dewpost/core/wire';
import { intervalSeconds } from '../model/periods';
import type { PointEntry, ThresholdEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { Draft, LastCommand } from './draft';
import { nodeKey, type Effect } from './effects';
import { standsInAlarm } from './evaluate';
import { hindranceOf } from './hindrance';
import { grantedOf, mayRun } from './interlock';

/** How long after a command of this output the next renewal is due: a third of its lease. */
const renewAfterMs = (output: PointEntry): number => ((output.body.output?.leaseSeconds ?? 60) * 1000) / 3;

/** An *off* that no answer came to goes out again after this long, for as long as the output's lease may still run. */
const OFF_AGAIN_MS = 5000;

function offIsUnheard(output: PointEntry, last: LastCommand, now: number): boolean {
  const leaseMs = (output.body.output?.leaseSeconds ?? 60) * 1000;
  return !last.on && last.answeredAt === null && output.node.connected && now - last.at >= OFF_AGAIN_MS && now - last.since < leaseMs;
}

/** Is all there that it is computed from? */
const isWhole = ({ inputGone, inputs }: PointEntry): boolean => !inputGone && inputs.every(isWhole);

/** Every point that a rule is judged by: its own, and what it is held against. */
const judgedBy = ({ point, beside, also }: ThresholdEntry): PointEntry[] => [point, ...(beside ? [beside] : []), ...(also ? [also] : [])];

/** Is the reading behind a threshold's demand fresh and good: younger than three report intervals? */
function sensorIsFresh(draft: Draft, point: PointEntry, now: number): boolean {
  if (!isWhole(point)) return false;
  const lastGood = draft.lastGood.get(point.id);
  return lastGood !== undefined && now - lastGood < freshForMs(intervalSeconds(point));
}

/**
 * What the outputs are to be told now: on while a demand stands (by hand until its end; by a threshold while its alert
 * stands and its reading is fresh and good), renewed at every third of the lease; off once when nothing wants them on.
 * Before the server has listened long enough to know, an old reading switches nothing and is no lost sensor yet.
 */
export function settleOutputs(registry: Registry, draft: Draft, now: number, listeningSince: number): Effect[] {
  const effects: Effect[] = [];
  const ids = new Set([...draft.demands.keys(), ...[...draft.commands].filter(([, c]) => c.on || c.answeredAt === null).map(([id]) => id)]);
  const asked = new Map<PointEntry, Asked>();
  for (const id of ids) {
    const output = registry.points.get(id);
    if (output) asked.set(output, askedOf(registry, draft, output, { now, listeningSince, effects }));
  }
  const wanted = new Set([...asked].flatMap(([output, { wanted: isWanted }]) => (isWanted ? [output] : [])));
  const { granted, ousted } = grantedOf(wanted, (output) => mayRun(draft, output, now, listeningSince));
  for (const [output, { reason, offReason }] of asked) {
    const last = draft.commands.get(output.id);
    const goes = granted.has(output);
    if (goes && (!last?.on || now - last.at >= renewAfterMs(output))) effects.push({ kind: 'command', output, on: true, reason, at: now });
    if (!goes && last && (last.on || offIsUnheard(output, last, now)))
      effects.push({ kind: 'command', output, on: false, reason: wanted.has(output) ? 'stand-down' : offReason, at: now });
  }
  // One that nobody here asked for, and that runs against one that wins over it.
  for (const output of ousted) {
    const last = draft.commands.get(output.id);
    if (!asked.has(output) && (!last || now - last.at >= OFF_AGAIN_MS))
      effects.push({ kind: 'command', output, on: false, reason: 'stand-down', at: now });
  }
  return effects;
}

interface Asked {
  readonly wanted: boolean;
  readonly reason: CommandReason;
  readonly offReason: CommandReason;
}

/** Does anybody want an output on, and why? What is found of lost sensors, and of time that is up, goes to `effects`. */
function askedOf(
  registry: Registry,
  draft: Draft,
  output: PointEntry,
  { now, listeningSince, effects }: { now: number; listeningSince: number; effects: Effect[] },
): Asked {
  // What was not proved in place moves for nobody but who proves it.
  const armed = registry.armedAt(output);
  const allowed = registry.allowsNow(output, now);
  let wanted = false;
  let reason: CommandReason = 'threshold';
  let offReason: CommandReason = 'stand-down';
  for (const demand of draft.demands.get(output.id) ?? []) {
    if (demand.source !== 'threshold') {
      const { source } = demand;
      if (demand.endsAt !== null && demand.endsAt <= now) {
        effects.push({ kind: 'end-demand', output, source, threshold: null, at: demand.endsAt, why: 'time is up' });
      } else if (source === 'timetable' ? armed && allowed : armed || (source === 'fit' && output.lock === null)) {
        wanted = true;
        reason = source === 'timetable' ? 'timetable' : 'hand';
      }
      continue;
    }
    if (!armed) continue;
    const threshold = demand.threshold === null ? undefined : registry.thresholds.get(demand.threshold);
    // What comes later in the order of its rule waits for its time.
    if (!threshold || !standsInAlarm(draft, threshold.id) || demand.startedAt > now) continue;
    let lost = false;
    for (const sensor of judgedBy(threshold)) {
      const gone = !sensorIsFresh(draft, sensor, now);
      lost ||= gone;
      if (!gone || now - listeningSince >= freshForMs(intervalSeconds(sensor)))
        effects.push(...sensorAlert(draft, output, sensor, gone, now));
    }
    if (lost) offReason = 'sensor-lost';
    else if (allowed && isInItsShare(registry, draft, threshold, output, demand.startedAt, now)) wanted = true;
  }
  // What its day or a condition forbids moves for nobody, by hand as by rule.
  return hindranceOf(output, draft, now) === null ? { wanted, reason, offReason } : { wanted: false, reason, offReason: 'limit' };
}

/** Of a rule that is proportional: is this the part of its cycle in which its output runs? One that is being proved runs whole. */
function isInItsShare(
  registry: Registry,
  draft: Draft,
  threshold: ThresholdEntry,
  output: PointEntry,
  since: number,
  now: number,
): boolean {
  const { proportional, side, clearLevel } = threshold.rule;
  if (!proportional || registry.testing(threshold.id) !== null) return true;
  const { minOnSeconds, minOffSeconds } = output.body.output?.guards ?? { minOnSeconds: 0, minOffSeconds: 0 };
  const value = draft.newest.get(threshold.point.id)?.value;
  if (value === undefined) return false;
  const share = shareOf(proportional, side, clearLevel, value);
  const guards = { minOnMs: minOnSeconds * 1000, minOffMs: minOffSeconds * 1000 };
  return isWantedInCycle(share, proportional.cycleSeconds * 1000, guards, since, draft.commands.get(output.id) ?? null, now);
}

function sensorAlert(draft: Draft, output: PointEntry, sensor: PointEntry, lost: boolean, now: number): Effect[] {
  const key = nodeKey('sensor-lost', sensor.node, sensor);
  if (lost === draft.isOpen(key)) return [];
  if (!lost) return [{ kind: 'close-alert', key, at: now, why: 'readings are back' }];
  return [
    {
      kind: 'open-alert',
      alert: {
        key,
        kind: 'sensor-lost',
        node: sensor.node,
        point: sensor,
        threshold: null,
        severity: 'warning',
        title: `${sensor.body.label} lost while ${output.body.label.toLowerCase()} runs`,
        text: `No good reading from ${sensor.node.title} for ${formatDuration(freshForMs(intervalSeconds(sensor)))}. ${output.body.label} is told to go off: look at the sensor and its wiring.`,
        trippedAt: now,
        value: null,
        earlier: false,
      },
    },
  ];
}
