/** Power ratio to 1 mW, dBm. */
export const milliwattsToDbm = (milliwatts: number): number => 10 * Math.log10(milliwatts);

/** Level at the receiver, dBm: Ptx + Gtx + Grx − losses. */
export const receivedDbm = (transmitDbm: number, transmitGainDbi: number, receiveGainDbi: number, lossDb: number): number =>
  transmitDbm + transmitGainDbi + receiveGainDbi - lossDb;

/** Thermal noise at 290 K with a noise figure, dBm. */
export const thermalNoiseDbm = (bandwidthHertz: number, noiseFigureDb: number): number =>
  10 * Math.log10(1.380649e-23 * 290 * bandwidthHertz * 1000) + noiseFigureDb;

/** Chance of the standard normal being above `z`, by the complementary error function (W. J. Cody's rational form is not needed: relative error below 1.2e-7, Numerical Recipes erfcc). */
function upperTail(z: number): number {
  const x = Math.abs(z) / Math.SQRT2;
  const t = 1 / (1 + 0.5 * x);
  const series = [
    -1.26551223, 1.00002368, 0.37409196, 0.09678418, -0.18628806, 0.27886807, -1.13520398, 1.48851587, -0.82215223, 0.17087277,
  ];
  const erfc = t * Math.exp(-x * x + series.reduceRight((sum, c) => sum * t + c, 0));
  return z >= 0 ? erfc / 2 : 1 - erfc / 2;
}

/** Chance that a link with this margin fails under log-normal shadowing: Q(M/σ). σ 4 to 8 dB outdoors, 6 to 12 dB indoors: common practice. */
export const shadowingOutage = (marginDb: number, sigmaDb: number): number => upperTail(marginDb / sigmaDb);

/** Margin, dB, for a wanted outage under log-normal shadowing: σ·Q⁻¹(p), p above 0 and below 1. */
export function marginForOutage(outage: number, sigmaDb: number): number {
  let [low, high] = [-10, 10];
  for (let i = 0; i < 60; i++) {
    const middle = (low + high) / 2;
    if (upperTail(middle) > outage) low = middle;
    else high = middle;
  }
  return sigmaDb * ((low + high) / 2);
}

/** Chance that a link with this margin is in a Rayleigh fade. */
export const rayleighOutage = (marginDb: number): number => -Math.expm1(-(10 ** (-marginDb / 10)));

/** Chance that at least one of `sends` arrives when losses are independent: space repeats by seconds, interference comes in bursts. */
export const burstDelivery = (loss: number, sends: number): number => 1 - loss ** sends;

/** Sends for a wanted chance of delivery, losses independent; an exact power is met, not missed by rounding. */
export const sendsForDelivery = (loss: number, target: number): number => Math.ceil(Math.log(1 - target) / Math.log(loss) - 1e-9);

/**
 * Chance that at least one of `sends` arrives when losses come in bursts: a two-state chain (Gilbert) with mean loss `loss`,
 * mean burst `burstSeconds` and sends `spacingSeconds` apart; all is lost within a burst, nothing outside.
 */
export function burstyDelivery(loss: number, burstSeconds: number, sends: number, spacingSeconds: number): number {
  if (sends < 1 || loss >= 1) return 0;
  const leave = 1 / burstSeconds;
  const enter = (leave * loss) / (1 - loss);
  // Chance to be in a burst `spacing` later, having been in one.
  const stay = loss + (1 - loss) * Math.exp(-(leave + enter) * spacingSeconds);
  return 1 - loss * stay ** (sends - 1);
}

/**
 * Repeats that end with an answer: sends at 0 and after each of `waitsSeconds`, losses in bursts as in `burstyDelivery`, the
 * answer shares the fade of its send. Gives the chance that one arrives and the mean number of sends.
 */
export function answeredDelivery(loss: number, burstSeconds: number, waitsSeconds: readonly number[]): { chance: number; sends: number } {
  const rate = 1 / burstSeconds + (1 / burstSeconds) * (loss / (1 - loss));
  // Chance that all sends so far were lost: each is sent only then.
  let lost = loss;
  let sends = 1;
  for (const wait of waitsSeconds) {
    sends += lost;
    lost *= loss + (1 - loss) * Math.exp(-rate * wait);
  }
  return { chance: 1 - lost, sends };
}
/** Gain of a dish, dBi: 10 log(η(πD/λ)²). */
export const dishGainDbi = (metres: number, megahertz: number, efficiency: number): number =>
  10 * Math.log10(efficiency * ((Math.PI * metres * megahertz * 1e6) / 299_792_458) ** 2);

/** Upper bound of an antenna's gain from its beam, dBi: 10 log(k/(θE·θH)), k 41 253 ideal, 26 000 to 32 000 for real ones (common practice). */
export const beamGainDbi = (degreesE: number, degreesH: number, k = 41_253): number => 10 * Math.log10(k / (degreesE * degreesH));
