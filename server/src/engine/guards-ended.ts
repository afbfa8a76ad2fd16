import type { PointEntry, ThresholdEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { EngineState } from './draft';
import { nodeKey, thresholdKey, type Effect } from './effects';
import { hindranceOf } from './hindrance';

type Known = Pick<EngineState, 'alerts' | 'demands' | 'commands' | 'relays' | 'newest'>;

/** Guards that end what a rule still asks for, as a node names them. */
const GUARDS: Readonly<Record<string, string>> = {
  'max-run': 'its longest run is over, and it rests',
  rest: 'it rests after its longest run',
};

/**
 * Controls that a guard has ended while their rule stands: nobody is told of a control, so somebody has to hear that it did not do. A rule that
 * is an alert by itself is told already.
 */
export function guardsEnded(registry: Registry, state: Known, now: number): Effect[] {
  return [...new Set([...state.demands.keys(), ...openOutputs(registry, state)])].flatMap((id): Effect[] => {
    const output = registry.points.get(id);
    if (!output) return [];
    const key = nodeKey('guard-ended', output.node, output);
    const asking = askingRule(registry, state, output);
    const why = asking && endedBy(state, output, now);
    if (asking && why) return state.alerts.has(key) ? [] : [ended(key, output, asking, why, now)];
    return state.alerts.has(key) ? [{ kind: 'close-alert', key, at: now, why: 'cleared' }] : [];
  });
}

/** Outputs with such an alert, whose rule may have cleared since. */
function openOutputs(registry: Registry, { alerts }: Known): number[] {
  return [...registry.points.values()]
    .filter((point) => point.body.output !== null && alerts.has(nodeKey('guard-ended', point.node, point)))
    .map(({ id }) => id);
}

/** A rule that stands, is told to nobody, and wants this output on. */
function askingRule(registry: Registry, { alerts, demands }: Known, { id }: PointEntry): ThresholdEntry | undefined {
  for (const { threshold } of demands.get(id) ?? []) {
    const entry = threshold === null ? undefined : registry.thresholds.get(threshold);
    if (entry && !entry.rule.consequences.includes('alert') && alerts.has(thresholdKey(entry.id))) return entry;
  }
  return undefined;
}

function endedBy(state: Known, output: PointEntry, now: number): string | null {
  const limit = hindranceOf(output, state, now);
  // A condition forbids by somebody's wish, and ends with it.
  if (limit && limit.kind !== 'forbidden') return limit.words;
  const relay = state.relays.get(output.id);
  return relay?.state === false && relay.reason !== null ? (GUARDS[relay.reason] ?? null) : null;
}

function ended(key: string, output: PointEntry, { point, rule }: ThresholdEntry, why: string, now: number): Effect {
  const { label } = output.body;
  return {
    kind: 'open-alert',
    alert: {
      ...{ key, kind: 'guard-ended', node: output.node, point: output, threshold: null, trippedAt: now, value: null, earlier: false },
      severity: rule.severity === 'critical' ? 'critical' : 'warning',
      title: `${label} stopped before it was done`,
      text: `${why.charAt(0).toUpperCase()}${why.slice(1)}; ${point.body.label.toLowerCase()} of ${point.node.title} still asks for it. Look whether it works as it should, and whether its limit fits.`,
    },
  };
}
