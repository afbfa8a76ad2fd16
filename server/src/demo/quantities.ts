import type { Outside } from './weather';
import { chance } from './chance';

const HOUR_MS = 3_600_000;
const DAY_MS = 24 * HOUR_MS;

/** What a point is, as far as its invented past hangs on it. */
export interface PastPoint {
  readonly id: number;
  readonly node: string;
  readonly room: string;
  readonly name: string;
  readonly unit: string;
  readonly min: number;
  readonly max: number;
  readonly decimals: number;
}

/** What a room keeps of the weather: its means over the year, and the share of the outside that comes in. */
interface Room {
  readonly celsius: number;
  readonly percent: number;
  readonly share: number;
}
const ROOMS: Readonly<Record<string, Room>> = {
  'Grain loft': { celsius: 16, percent: 56, share: 0.35 },
  'Proving room': { celsius: 26.5, percent: 73, share: 0.05 },
  'Cold pantry': { celsius: 5.2, percent: 76, share: 0.02 },
  Cellar: { celsius: 13.2, percent: 91, share: 0.08 },
  'Fern house': { celsius: 21, percent: 74, share: 0.2 },
};
const ELSEWHERE: Room = { celsius: 16, percent: 58, share: 0.3 };

/** The value of a point at a time, in its unit. */
export type Course = (at: number, outside: Outside) => number;

/** How a point went over the year, by what it measures; `null`: it has no past (what people or outputs switch is none of the weather's). */
export function courseOf({ room, name, unit, min, max, id }: PastPoint): Course | null {
  const { celsius, percent, share } = ROOMS[room] ?? ELSEWHERE;
  const random = chance(id * 7 + 3);
  const noise = (width: number): number => (random() + random() - 1) * width;
  const shift = random() - 0.5;
  const hour = (at: number): number => (at % DAY_MS) / HOUR_MS;
  const working = (at: number): boolean => hour(at) > 6 && hour(at) < 17 && new Date(at).getUTCDay() % 6 !== 0;
  if (unit === '°C' && /temp/.test(name) && name !== 'oil-temperature')
    return (at, outside) => celsius + shift + share * (outside.celsius - 9) + 0.3 * Math.sin((hour(at) / 24) * 2 * Math.PI) + noise(0.1);
  if (name === 'oil-temperature') return (at) => (working(at) ? 54 + noise(3) : 19 + noise(0.5));
  if (unit === '%' && /humid/.test(name))
    return (_, outside) => Math.min(100, percent + 2 * shift + share * 0.6 * (outside.percent - 75) + noise(0.8));
  if (unit === '%' && /soil/.test(name)) {
    // Watered about every third day, drying between; quicker where the sun comes in.
    const [days, from] = [2.6 + shift, 30 + 4 * shift];
    return (at, outside) => from - 14 * ((at / DAY_MS / days) % 1) ** 0.8 - 2 * outside.sun + noise(0.3);
  }
  if (unit === 'cm') return (_, outside) => 105 + 30 * shift + 26 * outside.rain - 0.9 * (outside.hectopascals - 1009) + noise(1.5);
  if (unit === 'hPa') return (_, outside) => outside.hectopascals + noise(0.2);
  if (unit === 'kg') return (at) => 46 - 40 * ((at / DAY_MS / 6.3 + shift) % 1) + noise(0.05);
  if (unit === 'lx') return (_, outside) => Math.max(0, 52_000 * outside.sun + noise(400));
  if (unit === 'V' && max > 12) return (_, outside) => 24.6 + 1.9 * outside.sun + noise(0.05);
  if (unit === 'A') return (at, outside) => Math.min(max, 0.4 + 2 * outside.sun + (working(at) ? 0.3 : 0) + noise(0.05));
  if (unit === 'dBm') return () => -61 + 6 * shift + noise(3);
  if (name === 'vibration') return (at) => (working(at) ? 96 + noise(12) : 0);
  if (unit === 'ppm') return (at) => (working(at) ? 780 + noise(90) : 470 + noise(15));
  // Floats: the mill has stayed dry.
  if (name.startsWith('flood')) return () => 0;
  // Contacts: shut, but for a few minutes of the working day.
  if (unit === '' && max === 1) return (at) => (working(at) && random() < 0.03 ? 1 : 0);
  if (unit === '' || unit === 'mm') return null;
  return () => min + (max - min) * (0.4 + 0.1 * shift) + noise((max - min) * 0.01);
}

/** A mishap of the past: at which point, from when to when (hours before now), and what it was. */
export interface Mishap {
  readonly node: string;
  readonly point: string;
  readonly kind: 'stuck' | 'drift' | 'silent' | 'spikes';
  readonly from: number;
  readonly to: number;
}

/** What became of a reading: its value, quality (0 good, 1 suspect), reason and flags as they are stored; `null`: it never came. */
export interface Suffered {
  readonly value: number;
  readonly quality: number;
  readonly reason: number;
  readonly late: boolean;
}

/** How far a drift takes a value away by its end, in the point's unit. */
const DRIFT = 5;

/** A reading under a mishap. `share`: how much of it is over, 0…1; `held`: the value at which it got stuck. */
export function suffer(
  kind: Mishap['kind'],
  value: number,
  { share, held, random }: { share: number; held: number; random: () => number },
): Suffered {
  if (kind === 'drift') return { value: value + DRIFT * share, quality: 0, reason: 0, late: false };
  // It was kept on the node, and came when its network was back.
  if (kind === 'silent') return { value, quality: 0, reason: 0, late: true };
  if (kind === 'stuck') return { value: held, quality: share > 0.3 ? 1 : 0, reason: share > 0.3 ? STUCK : 0, late: false };
  const spike = random() < 0.25;
  return { value: spike ? value + (random() < 0.5 ? -90 : 90) : value, quality: spike ? 1 : 0, reason: spike ? SPIKE : 0, late: false };
}
/** Places in the list of reasons. */
const [SPIKE, STUCK] = [3, 4];
