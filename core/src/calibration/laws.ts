import * as z from 'zod';
import {
  betaFrom,
  classBToleranceKelvin,
  platinumCelsius,
  platinumOhms,
  senderOhms,
  senderVolts,
  steinhartHartCelsius,
  steinhartHartFrom,
  thermistorOhms,
} from '../sensors';
import type { Capture } from './capture';
import type { Coefficients } from './conversion';

const ohms = z.number().min(1).max(1e8);
/** A resistance in a divider: what feeds it, in the raw unit, and the resistor that it shares that with. */
const divided = { supply: z.number().min(1).max(1e6), seriesOhms: ohms };

/**
 * A law of physics that a conversion follows, with what it hangs on. `beta`, `three`: a thermistor to ground behind a resistor from the supply, by
 * its datasheet or by three captures. `sender`: a resistance that goes straight with the quantity, wired alike. `platinum`: ohms of a platinum
 * resistor, two wires to it.
 */
export const lawSchema = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('beta'),
    ...divided,
    atTwentyFive: ohms,
    /** K. */
    beta: z.number().min(1000).max(8000),
    /** Of its resistance at 25 °C, %. */
    tolerancePercent: z.number().min(0.05).max(20),
  }),
  z.object({ kind: z.literal('three'), ...divided }),
  z.object({ kind: z.literal('sender'), ...divided }),
  z.object({ kind: z.literal('platinum'), atZero: z.number().min(10).max(10_000) }),
]);
export type Law = z.output<typeof lawSchema>;

/** What a law makes of raw values. */
interface Followed {
  /** The raw value at which it gives this one; `null`: none. */
  rawAt(value: number): number | null;
  /** Standard uncertainty that it brings by itself, in the point's unit: the tolerance of its part (GUM 4.3.7). */
  readonly own: number;
  /** What the law was found to be, in words. */
  readonly words: string;
}

/** The law as a table, what it brings in uncertainty and what it was found to be; or why it cannot be followed, in words. */
export interface ByLaw {
  readonly coefficients: Coefficients;
  readonly own: number;
  readonly words: string;
}

const SQRT_3 = Math.sqrt(3);
/** In so many straight pieces: a thermistor misses by less than 0.01 K between their ends. */
const PIECES = 200;

/**
 * A table of [raw, value] that follows a law over what a point can measure, in 200 straight pieces. `within`: raw values that its node can send.
 */
export function byLaw(
  law: Law,
  captures: readonly Capture[],
  over: { readonly min: number; readonly max: number },
  within: { readonly min: number; readonly max: number },
): ByLaw | string {
  const followed = FOLLOW[law.kind](law as never, captures);
  if (typeof followed === 'string') return followed;
  const values = Array.from({ length: PIECES + 1 }, (_, i) => over.min + ((over.max - over.min) * i) / PIECES);
  const rows = values
    .flatMap((value): (readonly [number, number])[] => {
      const raw = followed.rawAt(value);
      return raw !== null && raw >= within.min && raw <= within.max ? [[raw, value]] : [];
    })
    .sort((a, b) => a[0] - b[0]);
  const [first, last] = [rows[0], rows.at(-1)];
  if (!first || !last || rows.length < 2 || first[0] === last[0])
    return 'with these figures nothing that its node can send lies within what it measures: look at the supply and the resistor';
  const gain = (last[1] - first[1]) / (last[0] - first[0]);
  return { coefficients: { gain, offset: first[1] - gain * first[0], curve: { table: rows } }, own: followed.own, words: followed.words };
}

const FOLLOW: { readonly [K in Law['kind']]: (law: Extract<Law, { kind: K }>, captures: readonly Capture[]) => Followed | string } = {
  beta(law, captures) {
    const { supply, seriesOhms, beta, tolerancePercent } = law;
    const measured = ohmsOf(law, captures);
    if (typeof measured === 'string') return measured;
    // Captures say by how much the part is off its datasheet, as a share; without any its tolerance stands.
    const shares = measured.map(({ at, ohms: is }) => Math.log(is / thermistorOhms(at, law.atTwentyFive, beta)));
    const share = shares.length === 0 ? 0 : shares.reduce((sum, one) => sum + one, 0) / shares.length;
    const atTwentyFive = law.atTwentyFive * Math.exp(share);
    return {
      rawAt: (celsius) => senderVolts(thermistorOhms(celsius, atTwentyFive, beta), supply, seriesOhms),
      own: captures.length > 0 ? 0 : ((tolerancePercent / 100) * (298.15 ** 2 / beta)) / SQRT_3,
      words: `${figure(atTwentyFive)} Ω at 25 °C, Beta ${figure(beta)} K`,
    };
  },
  three(law, captures) {
    if (captures.length !== 3) return `three captures make it, far apart: there are ${captures.length}`;
    const measured = ohmsOf(law, captures);
    if (typeof measured === 'string') return measured;
    const found = steinhartHartFrom(measured.map(({ at, ohms: is }) => [at, is] as const));
    const sorted = [...measured].sort((a, b) => a.at - b.at);
    const falls = sorted.every(({ ohms: is }, i) => i === 0 || is < (sorted[i - 1]?.ohms ?? Infinity));
    if (!found || !falls)
      return 'these three lie on no curve of a thermistor: its resistance falls as it warms. Look whether two captures were mixed up';
    const [cold, , warm] = sorted;
    return {
      rawAt: (celsius) => {
        const is = thermistorAt(celsius, (ohms) => steinhartHartCelsius(ohms, found));
        return is === null ? null : senderVolts(is, law.supply, law.seriesOhms);
      },
      own: 0,
      words:
        cold && warm
          ? `A ${found.a.toExponential(4)}, B ${found.b.toExponential(4)}, C ${found.c.toExponential(4)}; Beta ${figure(betaFrom(cold.at, cold.ohms, warm.at, warm.ohms))} K`
          : '',
    };
  },
  sender(law, captures) {
    if (captures.length !== 2) return `two captures make it, far apart: there are ${captures.length}`;
    const measured = ohmsOf(law, captures);
    if (typeof measured === 'string') return measured;
    const [a, b] = measured;
    if (!a || !b || a.ohms === b.ohms || a.at === b.at) return 'both captures are at one value: change what it measures between them';
    const steep = (b.at - a.at) / (b.ohms - a.ohms);
    return {
      rawAt: (value) => {
        const is = a.ohms + (value - a.at) / steep;
        return is > 0 ? senderVolts(is, law.supply, law.seriesOhms) : null;
      },
      own: 0,
      words: `${figure(a.ohms)} Ω at ${figure(a.at)}, ${figure(b.ohms)} Ω at ${figure(b.at)}, straight between`,
    };
  },
  platinum({ atZero }, captures) {
    const leads = captures.map(({ raw, reference }) => raw - (platinumOhms(reference, atZero) ?? NaN));
    const lead = leads.length === 0 ? 0 : leads.reduce((sum, one) => sum + one, 0) / leads.length;
    if (!Number.isFinite(lead)) return 'a platinum resistor is known from −200 to 850 °C: a capture lies outside';
    // Leads of more ohms than that are no leads.
    if (Math.abs(lead) > 0.2 * atZero)
      return `its captures miss the standard by ${figure(lead)} Ω: that is more than leads have. Is it of another resistance at 0 °C?`;
    return {
      rawAt: (celsius) => {
        const is = platinumOhms(celsius, atZero);
        return is === null ? null : is + lead;
      },
      own: captures.length > 0 ? 0 : classBToleranceKelvin(platinumCelsius(atZero, atZero) ?? 0) / SQRT_3,
      words: `${figure(atZero)} Ω at 0 °C, ${figure(lead)} Ω of leads`,
    };
  },
};

const figure = (value: number): string => String(Number(value.toPrecision(5)));

/** What was captured, as ohms; or why not. */
function ohmsOf(
  { supply, seriesOhms }: { readonly supply: number; readonly seriesOhms: number },
  captures: readonly Capture[],
): { at: number; ohms: number }[] | string {
  const measured: { at: number; ohms: number }[] = [];
  for (const { raw, reference } of captures) {
    const is = senderOhms(raw, supply, seriesOhms);
    if (is === null)
      return `${figure(raw)} is not between nothing and its supply of ${figure(supply)}: it is open or shorted, or the supply is another`;
    measured.push({ at: reference, ohms: is });
  }
  return measured;
}

/** The resistance at which a falling curve gives this temperature, by halving; `null`: it does not within 1 Ω to 100 MΩ. */
function thermistorAt(celsius: number, celsiusOf: (ohms: number) => number | null): number | null {
  let [low, high] = [0, Math.log(1e8)];
  for (let i = 0; i < 60; i++) {
    const middle = (low + high) / 2;
    const at = celsiusOf(Math.exp(middle));
    if (at === null) return null;
    if (at > celsius) low = middle;
    else high = middle;
  }
  const found = Math.exp((low + high) / 2);
  return Math.abs((celsiusOf(found) ?? NaN) - celsius) < 1e-6 ? found : null;
}
