import type { SignalData } from './world';

/** A number from 0 to 1 that a name always has; names that differ in their last letter lie far apart. */
const share = (name: string): number =>
  (([...name].reduce((sum, letter) => (sum * 31 + letter.charCodeAt(0)) % 9973, 7) * 7919) % 9973) / 9973;

/** How far the sensors of one kind lie apart. */
const APART = 0.06;

/**
 * What a point of a node measures at a time (ms), `null` for one that the world knows nothing of. `temperature-2` is a
 * `temperature`, and every node swings at a time of its own. Told in counts it is what the converter of that very sensor gives: a few
 * percent beside the next one's.
 */
export function signalValue(
  signals: Readonly<Record<string, SignalData>>,
  node: string,
  point: string,
  unit: string,
  now: number,
  random: () => number,
): number | null {
  const data = signals[point] ?? signals[point.replace(/-\d+$/, '')];
  if (!data) return null;
  const apart = share(`${node} ${point}`);
  const wave = Math.sin((2 * Math.PI * now) / (data.swingSeconds * 1000) + 2 * Math.PI * apart);
  const noise = (random() + random() - 1) * data.noise;
  const value = data.value + data.swing * wave + noise;
  if (unit === 'counts' && data.counts) return Math.round((data.counts.offset + data.counts.gain * value) * (1 + APART * (apart - 0.5)));
  return Math.round(value * 10 ** data.decimals) / 10 ** data.decimals + 0;
}
