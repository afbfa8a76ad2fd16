import { judgeControl, type ControlVerdict } from '@dewpost/core/control';
import { formatDuration, formatNumber } from '@dewpost/core/quantity';
import type { PointEntry, ThresholdEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { EngineState } from './draft';
import { nodeKey, thresholdKey, type Effect } from './effects';
import { guardsEnded } from './guards-ended';

/** So long an output that is connected may leave a command without an answer, ms: nodes answer within a second, one that sleeps at its next wake. */
const NO_ANSWER_MS = 15_000;

type Known = Pick<EngineState, 'alerts' | 'commands' | 'demands' | 'relays' | 'newest'>;

/** Outputs that do not answer, controls whose value does not, and those that a guard has ended: opened and closed as time passes. */
export function watchOutputs(registry: Registry, state: Known, now: number): Effect[] {
  return [...noReadBack(registry, state, now), ...noEffect(registry, state, now), ...guardsEnded(registry, state, now)];
}

function noReadBack(registry: Registry, { alerts, commands }: Known, now: number): Effect[] {
  return [...commands].flatMap(([id, last]): Effect[] => {
    const output = registry.points.get(id);
    if (!output) return [];
    const key = nodeKey('no-read-back', output.node, output);
    if (last.answeredAt !== null) return alerts.has(key) ? [{ kind: 'close-alert', key, at: now, why: 'reads back' }] : [];
    // Out of reach it is its node that is silent; and a node that sleeps answers when it wakes.
    const late = output.node.connected && now - last.since > Math.max(NO_ANSWER_MS, 2 * sleepMs(output));
    return late && !alerts.has(key) ? [notReadBack(key, output, last.on, now)] : [];
  });
}

const SLEEPS_SECONDS = 300;
const sleepMs = ({ node }: PointEntry): number => (node.reportSeconds >= SLEEPS_SECONDS ? node.reportSeconds * 1000 : 0);

function notReadBack(key: string, output: PointEntry, on: boolean, now: number): Effect {
  const { node, body } = output;
  return {
    kind: 'open-alert',
    alert: {
      ...{
        key,
        kind: 'no-read-back',
        node,
        point: output,
        threshold: null,
        severity: 'warning',
        trippedAt: now,
        value: null,
        earlier: false,
      },
      title: `${body.label} does not read back`,
      text: `${node.title} was told ${on ? 'on' : 'off'} and has not answered, although its link stands. What the output does is not known; its lease ends by itself. Look at the node before you rely on it.`,
    },
  };
}

/** Rules that say what their control is to move, while they stand; one alert an output, by whichever of its rules fails. */
function noEffect(registry: Registry, state: Known, now: number): Effect[] {
  const expecting = [...registry.thresholds.values()].filter(({ rule }) => rule.expects && rule.consequences.includes('control'));
  const outputs = new Set(expecting.map(({ rule }) => rule.output));
  return [...outputs].flatMap((id): Effect[] => {
    const rules = expecting.filter(({ rule }) => rule.output === id);
    const output = id === null ? undefined : registry.points.get(id);
    if (!output) return [];
    const key = nodeKey('no-effect', output.node, output);
    const judged = rules.map((rule) => ({ rule, verdict: verdictOf(rule, output, state, now) }));
    const failing = judged.find(({ verdict }) => verdict !== 'open' && verdict?.state === 'fails');
    if (failing && failing.verdict !== 'open' && failing.verdict?.state === 'fails')
      return state.alerts.has(key) ? [] : [notMoved(key, failing.rule, output, failing.verdict, now)];
    // While its state is not known, what was found stands.
    if (!state.alerts.has(key) || judged.some(({ verdict }) => verdict === 'open')) return [];
    const answers = judged.some(({ verdict }) => verdict !== 'open' && verdict?.state === 'answers');
    return [{ kind: 'close-alert', key, at: now, why: answers ? 'it answers' : 'cleared' }];
  });
}

/** How one rule's control does; `null`: it does not stand; `open`: it stands, and nothing can be said just now. */
function verdictOf({ id, rule, point }: ThresholdEntry, output: PointEntry, state: Known, now: number): ControlVerdict | 'open' | null {
  const standing = state.alerts.get(thresholdKey(id));
  if (!standing || standing.value === null || !rule.expects) return null;
  const relay = state.relays.get(output.id);
  const newest = state.newest.get(point.id);
  // Judged only while it is read back as it was told, and by good readings since.
  if (relay?.state !== (rule.act === 'on') || relay.since === null || newest?.quality !== 'good') return 'open';
  const since = Math.max(relay.since, standing.trippedAt);
  if (newest.at < since) return 'open';
  return judgeControl(rule.expects, { side: rule.side, tripped: standing.value, newest: newest.value, since, now });
}

function notMoved(
  key: string,
  threshold: ThresholdEntry,
  output: PointEntry,
  { moved, seconds }: { moved: number; seconds: number },
  now: number,
): Effect {
  const { point, rule } = threshold;
  const { label, unit, decimals } = point.body;
  const figure = (value: number): string => `${formatNumber(value, decimals + 1)} ${unit}`.trim();
  return {
    kind: 'open-alert',
    alert: {
      ...{ key, kind: 'no-effect', node: output.node, point: output, threshold: null, trippedAt: now, value: moved, earlier: false },
      severity: rule.severity === 'critical' ? 'critical' : 'warning',
      title: `${output.body.label} does not move ${label.toLowerCase()}`,
      text: `${rule.act === 'on' ? 'On' : 'Off'} for ${formatDuration(seconds * 1000)}, moved ${figure(moved)}, expected at least ${figure(rule.expects?.by ?? 0)}. Look whether it runs, whether it is empty or blocked, and whether the sensor is in its place.`,
    },
  };
}
