import { freshForMs, isPlain } from '@dewpost/core/alarm';
import { hindranceOf } from '../engine/hindrance';
import { forcingOf, type Forcing, type TestScope } from '@dewpost/core/proof';
import type { Engine } from '../engine/engine';
import { thresholdKey } from '../engine/effects';
import type { PointEntry, ThresholdEntry } from '../model/entries';
import { intervalSeconds } from '../model/periods';
import type { Registry } from '../model/registry';

/** How a rule would be made to trip, and what its point reads; or what hinders that, in words for a person. */
export type Readiness =
  { readonly hindered: string } | { readonly hindered: null; readonly forcing: Exclude<Forcing, { how: 'no' }>; readonly value: number };

/** What the test of a rule has to show. */
export const scopeOf = ({ rule }: ThresholdEntry): TestScope => ({
  tells: rule.consequences.includes('alert') || (rule.consequences.includes('notice') && (rule.words === null || rule.words.trip !== null)),
  switches: rule.consequences.includes('control') && rule.output !== null ? rule.act : null,
});

/** Can this rule be proved now? What is not armed, locked out, silent or beyond its setpoint cannot. */
export function readinessOf({ registry, engine }: { registry: Registry; engine: Engine }, entry: ThresholdEntry, now: number): Readiness {
  const { point, rule } = entry;
  const newest = engine.state.newest.get(point.id);
  const hindered =
    (isPlain(rule)
      ? null
      : 'what it judges is no single value that a setpoint could be put beyond: bring it about by hand, and see the alert') ??
    pointHinders(registry, point, newest, now) ??
    (engine.isOpen(thresholdKey(entry.id)) ? 'it stands in alarm now: what a trip does shows by itself' : null) ??
    outputHinders(registry, engine, rule.consequences.includes('control') ? rule.output : null, rule.act, now);
  if (hindered !== null || !newest) return { hindered: hindered ?? 'nothing has been read of it yet' };
  const forcing = forcingOf(rule, point.body, newest.value);
  return forcing.how === 'no' ? { hindered: forcing.why } : { hindered: null, forcing, value: newest.value };
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
