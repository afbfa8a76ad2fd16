import { chance } from './chance';

const HOUR_MS = 3_600_000;
const DAY_MS = 24 * HOUR_MS;
const YEAR_DAYS = 365.25;

/** Weather outside at a time: invented, and the same for the same seed. */
export interface Outside {
  readonly celsius: number;
  readonly percent: number;
  readonly hectopascals: number;
  /** mm/h. */
  readonly rain: number;
  /** Of a clear noon, 0…1. */
  readonly sun: number;
}

interface Wave {
  readonly days: number;
  readonly phase: number;
}
const TURN = 2 * Math.PI;
const along = ({ days, phase }: Wave, at: number): number => Math.sin((at / DAY_MS / days) * TURN + phase);

/**
 * A year's weather of a valley in the north: the course of the year and of the day, and highs and lows that pass within days, as sums of waves
 * whose lengths share no measure. It rains where the pressure is low.
 */
export function weatherOf(seed: number): (at: number) => Outside {
  const random = chance(seed);
  const wave = (days: number): Wave => ({ days, phase: random() * TURN });
  const [slow, middle, quick, shower] = [wave(11.3), wave(5.1), wave(2.3), wave(0.37)];
  return (at) => {
    const year = Math.cos(((at / DAY_MS / YEAR_DAYS) % 1) * TURN - 0.37 * TURN);
    // The coldest hour is before sunrise, the warmest after noon.
    const day = Math.sin(((at % DAY_MS) / DAY_MS - 0.39) * TURN);
    const passing = 0.5 * along(slow, at) + 0.35 * along(middle, at) + 0.15 * along(quick, at);
    const sun = Math.max(0, Math.sin(((at % DAY_MS) / DAY_MS - 0.25) * TURN)) * (0.55 + 0.35 * year) * (0.75 + 0.25 * passing);
    const rain = passing < -0.3 && along(shower, at) > 0.2 ? -3 * (passing + 0.3) * (along(shower, at) + 0.2) : 0;
    const celsius = 9 + 7.5 * year + (2.2 + 2 * Math.max(0, year)) * day * (0.7 + 0.3 * passing) + 3 * passing;
    return {
      ...{ celsius, sun, rain },
      percent: Math.min(100, Math.max(35, 82 - 14 * day - 9 * passing + 6 * Number(rain > 0))),
      hectopascals: 1009 + 17 * passing,
    };
  };
}
