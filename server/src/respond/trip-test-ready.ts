import { freshForMs } from '@dewpost/core/alarm';
import { hindranceOf } from '../engine/hindrance';
import { forcingOf, type ForcedFigures, type ForcedPoint, type Forcing, type TestScope } from '@dewpost/core/proof';
import type { Engine } from '../engine/engine';
import { thresholdKey } from '../engine/effects';
import type { PointEntry, ThresholdEntry } from '../model/entries';
import { intervalSeconds } from '../model/periods';
import type { Registry } from '../model/registry';

/** How a rule would be made to trip, and what its point reads; or what hinders that, in words for a person. */
export type Readiness =
  { readonly hindered: string } | { readonly hindered: null; readonly forcing: Exclude<Forcing, { how: 'no' }>; readonly value: number };

/** The figures of a test, and what its rule was judged by as it began. */
type Figures = ForcedFigures & { readonly value: number };
export const NO_FIGURES = { setpoint: null, low: null, alsoSetpoint: null, value: null } as const;
export const figuresOf = ({ forcing: { setpoint, low, alsoSetpoint }, value }: Extract<Readiness, { hindered: null }>): Figures => ({
  ...{ setpoint, low, alsoSetpoint, value },
});

/** What the test of a rule has to show. */
export const scopeOf = ({ rule }: ThresholdEntry, { reads }: Pick<TestScope, 'reads'>): TestScope => ({
  reads,
  tells: rule.consequences.includes('alert') || (rule.consequences.includes('notice') && (rule.words === null || rule.words.trip !== null)),
  switches: rule.consequences.includes('control') && rule.output !== null ? rule.act : null,
});

/** Can this rule be proved now? What is not armed, locked out, silent or beyond its setpoint cannot. */
export function readinessOf({ registry, engine }: { registry: Registry; engine: Engine }, entry: ThresholdEntry, now: number): Readiness {
  const { point, rule } = entry;
  const newest = engine.state.newest.get(point.id);
  const hindered =
    pointHinders(registry, point, newest, now) ??
    (entry.beside && otherHinders(registry, engine, entry.beside, now)) ??
    (entry.also && otherHinders(registry, engine, entry.also, now)) ??
    (engine.isOpen(thresholdKey(entry.id)) ? 'it stands in alarm now: what a trip does shows by itself' : null) ??
    outputHinders(registry, engine, rule.consequences.includes('control') ? rule.output : null, rule.act, now);
  const value = newest ? judgedNow(engine, entry, newest, now) : null;
  if (hindered !== null) return { hindered };
  const also = entry.also && engine.state.newest.get(entry.also.id);
  const forcing = forcingOf(rule, forced(point), {
    value,
    also: entry.also && also ? { value: also.value, point: forced(entry.also) } : null,
  });
  return forcing.how === 'no' || value === null
    ? { hindered: forcing.how === 'no' ? forcing.why : 'nothing has been read of it yet' }
    : { hindered: null, forcing, value };
}

const forced = (point: PointEntry): ForcedPoint => ({ ...point.body, reportSeconds: intervalSeconds(point) });

/** What a rule is judged by now: its value, or what it has made of its readings, in the unit of its setpoint. `null`: that is not known. */
function judgedNow(
  engine: Engine,
  { id, rule }: ThresholdEntry,
  newest: { readonly at: number; readonly value: number },
  now: number,
): number | null {
  const memory = engine.state.thresholds.get(id)?.memory;
  switch (rule.judges?.kind) {
    case undefined:
    case 'value':
    case 'band':
      return newest.value;
    case 'silence':
      return Math.max(0, Math.round((now - newest.at) / 1000));
    case 'count':
      return memory?.times?.length ?? 0;
    default:
      return memory?.shown ?? null;
  }
}

function pointHinders(
  registry: Registry,
  point: PointEntry,
  newest: { readonly at: number; readonly quality: string } | undefined,
  now: number,
): string | null {
  const { node } = point;
  if (point.heldUntil !== null || registry.isHeld(point)) return `${point.body.label} is held: somebody works at it`;
  if (!registry.armedAt(point)) return `${node.title} is not armed: write it, prove it in place under Provision, Fit`;
  if (node.silent) return `${node.title} is silent`;
  if (!newest) return 'nothing has been read of it yet';
  if (newest.quality === 'bad') return 'its last reading was bad';
  // What is told only when it changes holds for as long as nothing else is told.
  if (point.body.confirm === 'readings' && now - newest.at > freshForMs(intervalSeconds(point))) return 'its last reading is too old';
  return null;
}

/** The same of another point that its rule needs. */
function otherHinders(registry: Registry, engine: Engine, point: PointEntry, now: number): string | null {
  const why = pointHinders(registry, point, engine.state.newest.get(point.id), now);
  return why === null ? null : `of ${point.body.label} of ${point.node.title}, which it needs: ${why}`;
}

function outputHinders(registry: Registry, engine: Engine, id: number | null, act: 'on' | 'off', now: number): string | null {
  const output = id === null ? undefined : registry.points.get(id);
  if (!output) return null;
  const { label } = output.body;
  if (output.lock) return `${label} is locked out by ${output.lock.by}: ${output.lock.reason}`;
  if (!registry.armedAt(output)) return `${label} is not armed: prove it in place under Provision, Fit`;
  if (!output.node.connected) return `${output.node.title} is not connected`;
  if (act === 'on' && !registry.allowsNow(output, now)) return `${label} is out of its hours: no rule may switch it on now`;
  const rival =
    act === 'on'
      ? output.winners.find(({ id: other }) => engine.state.demands.has(other) || engine.state.relays.get(other)?.state === true)
      : undefined;
  const limit = act === 'on' ? hindranceOf(output, engine.state, now) : null;
  if (limit) return `${label} stays off: ${limit.words}`;
  if (rival) return `${rival.body.label} of ${rival.node.title} wins over ${label}, and runs or is wanted`;
  const state = engine.state.relays.get(output.id)?.state ?? null;
  if (act === 'on' && state === true) return `${label} runs already: the test could not show that the rule starts it`;
  if (act === 'off' && state !== true) return `${label} is off already: switch it on by hand first, so that the rule can put it off`;
  return null;
}

/** When a silence of a test was too long, ms; of what else no reading brings about, when the test began. */
export function dueAt(
  { registry, engine }: { registry: Registry; engine: Engine },
  { threshold, begunAt, setpoint }: { readonly threshold: number; readonly begunAt: number; readonly setpoint: number },
): number {
  const own = engine.state.thresholds.get(threshold)?.memory?.own;
  const isSilence = registry.thresholds.get(threshold)?.rule.judges?.kind === 'silence';
  return Math.max(begunAt, isSilence && own ? own[0] + setpoint * 1000 : begunAt);
}
