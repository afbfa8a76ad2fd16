/** What the arithmetic needs of an antenna; the catalogue's profiles have it. `beamDegrees` is its half-power beam, 360 all round. */
export interface AntennaGain {
  readonly gainDbi: number;
  readonly beamDegrees: number;
}

/**
 * Gain of an antenna `offDegrees` away from where it points, dBi: the gain less 12·(θ/θ₃dB)², at most 20 dB less.
 * Source: the horizontal pattern of 3GPP TR 36.814 Table A.2.1.1-2 (from memory).
 */
export function gainTowards({ gainDbi, beamDegrees }: AntennaGain, offDegrees: number): number {
  if (beamDegrees >= 360) return gainDbi;
  const off = Math.abs(((((offDegrees + 180) % 360) + 360) % 360) - 180);
  return gainDbi - Math.min(20, 12 * (off / beamDegrees) ** 2);
}

/** Direction from one spot to another, degrees clockwise from the top of the page. */
export const bearingDegrees = (from: { x: number; y: number }, to: { x: number; y: number }): number =>
  ((Math.atan2(to.x - from.x, from.y - to.y) * 180) / Math.PI + 360) % 360;
