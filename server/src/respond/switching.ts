import type { Relay } from '@dewpost/contract';
import { HAND_SWITCHES, handWaitMs } from '@dewpost/core/control';
import { formatDuration } from '@dewpost/core/quantity';
import type { Engine } from '../engine/engine';
import type { Effect } from '../engine/effects';
import { hindranceOf } from '../engine/hindrance';
import { notFound, ProblemError } from '../problem/problem';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';

/** When hands switched outputs on, by output (ms). */
export type Hands = Map<number, readonly number[]>;

/**
 * Switches an output by hand. On: a demand with an end, which obeys every guard of the node. Off: ends every demand and
 * overrides even the minimum time on; a threshold that stands in alarm does not switch it on again until it trips anew.
 * `hands`: what hands did before; without it nobody is asked to wait. Throws 429 where it was switched on too often.
 */
export async function switchByHand(
  parts: { registry: Registry; engine: Engine; hands?: Hands },
  outputId: number,
  wish: { on: true; seconds: number; reason: string } | { on: false; reason: string },
  by: string,
): Promise<Relay> {
  const { registry, engine, hands } = parts;
  const output = registry.points.get(outputId);
  const settings = output?.body.output;
  if (!output || !settings) throw notFound(`output ${outputId}`);
  const { node } = output;
  const now = Date.now();
  const effects: Effect[] = [];
  if (wish.on) {
    if (output.lock)
      throw new ProblemError(
        409,
        'Locked out',
        `${output.lock.by} has locked it out: ${output.lock.reason}. Ask before you take the lock off.`,
      );
    if (node.state !== 'proved')
      throw new ProblemError(409, 'Not armed', `${node.name} has not been proved yet: write it and let its first good readings come in.`);
    if (!registry.armed(node))
      throw new ProblemError(409, 'Not armed', `${node.name} has not been fitted yet: prove it in place under Provision, Fit.`);
    if (!registry.armedAt(output))
      throw new ProblemError(
        409,
        'Not armed',
        `${output.body.label} could not be proved in place: operate it under Provision, Fit, and say what you saw.`,
      );
    if (!node.connected && !engine.state.relays.has(output.id) && node.heardAt === null)
      throw new ProblemError(409, 'Not reachable', `${node.name} has never been heard.`);
    const limit = settings.guards.maxRunSeconds;
    if (limit !== null && wish.seconds > limit) {
      const message = `${output.body.label} may run for at most ${limit} s at a time: choose ${limit} s or less.`;
      throw new ProblemError(422, 'Too long', message, [{ path: 'body.seconds', message }]);
    }
    const hindered = hindranceOf(output, engine.state, now);
    if (hindered) throw new ProblemError(409, 'Limited', `${output.body.label} stays off: ${hindered.words}.`);
    const wait = handWaitMs(hands?.get(output.id) ?? [], now);
    if (wait > 0) {
      const often = `${HAND_SWITCHES.most} times within ${formatDuration(HAND_SWITCHES.withinMs)}`;
      throw new ProblemError(429, 'Too often', `Switched on by hand ${often}: wait ${formatDuration(wait)}, or let a rule do it.`);
    }
    hands?.set(output.id, [...(hands.get(output.id) ?? []), now].slice(-HAND_SWITCHES.most));
    effects.push({
      kind: 'start-demand',
      demand: { output, source: 'hand', threshold: null, startedAt: now, endsAt: now + wish.seconds * 1000, by, reason: wish.reason },
    });
  } else {
    effects.push(...offByHand(output, now, by));
  }
  await engine.apply(effects);
  return engine.relayView(output, Date.now());
}

/** Off, whoever asked for it. */
const offByHand = (output: PointEntry, at: number, by: string): Effect[] => [
  { kind: 'end-demands', output, at, why: `off by hand: ${by}` },
  { kind: 'command', output, on: false, reason: 'hand', at },
];

/** Puts every output off by hand, in one change, whether its node can be reached or not: what cannot be told goes off by its own lease. */
export async function allSafe(parts: { registry: Registry; engine: Engine }, reason: string, by: string): Promise<Relay[]> {
  const { registry, engine } = parts;
  const outputs = [...registry.points.values()].filter(
    ({ body, node }) => body.output !== null && node.kind === 'node' && node.state === 'proved',
  );
  const now = engine.now();
  const who = reason === '' ? by : `${by}, ${reason}`;
  await engine.apply(outputs.flatMap((output) => offByHand(output, now, who)));
  return outputs.map((output) => engine.relayView(output, engine.now()));
}
