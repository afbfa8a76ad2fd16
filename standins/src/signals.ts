import type { SignalData } from './world';

/** A number from 0 to 1 that a name always has. */
const share = (name: string): number => [...name].reduce((sum, letter) => (sum * 31 + letter.charCodeAt(0)) % 9973, 7) / 9973;

/**
 * What a point of a node measures at a time (ms), `null` for one that the world knows nothing of. `temperature-2` is a
 * `temperature`, and every node swings at a time of its own.
 */
export function signalValue(
  signals: Readonly<Record<string, SignalData>>,
  node: string,
  point: string,
  now: number,
  random: () => number,
): number | null {
  const data = signals[point] ?? signals[point.replace(/-\d+$/, '')];
  if (!data) return null;
  const apart = share(`${node} ${point}`);
  const wave = Math.sin((2 * Math.PI * now) / (data.swingSeconds * 1000) + 2 * Math.PI * apart);
  const noise = (random() + random() - 1) * data.noise;
  const value = data.value + data.swing * wave + noise;
  return Math.round(value * 10 ** data.decimals) / 10 ** data.decimals + 0;
}
