/** Natural logarithm of the gamma function, for positive arguments. Source: Lanczos 1964, g = 7, nine terms; relative error below 1e-13. */
export function logGamma(x: number): number {
  const terms = [
    0.999_999_999_999_809_93, 676.520_368_121_885_1, -1259.139_216_722_402_8, 771.323_428_777_653_13, -176.615_029_162_140_6,
    12.507_343_278_686_905, -0.138_571_095_265_720_12, 9.984_369_578_019_572e-6, 1.505_632_735_149_311_6e-7,
  ];
  const z = x - 1;
  const t = z + 7.5;
  const sum = terms.reduce((total, term, i) => total + (i === 0 ? term : term / (z + i)), 0);
  return 0.5 * Math.log(2 * Math.PI) + (z + 0.5) * Math.log(t) - t + Math.log(sum);
}

/** The regularised incomplete beta function, by its continued fraction (Abramowitz & Stegun 26.5.8, modified Lentz). */
function incompleteBeta(x: number, a: number, b: number): number {
  if (x <= 0) return 0;
  if (x >= 1) return 1;
  if (x > (a + 1) / (a + b + 2)) return 1 - incompleteBeta(1 - x, b, a);
  const front = Math.exp(logGamma(a + b) - logGamma(a) - logGamma(b) + a * Math.log(x) + b * Math.log(1 - x)) / a;
  let [f, c, d] = [1, 1, 0];
  for (let i = 0; i <= 400; i++) {
    const m = Math.floor(i / 2);
    const term =
      i === 0
        ? 1
        : i % 2 === 0
          ? (m * (b - m) * x) / ((a + 2 * m - 1) * (a + 2 * m))
          : (-(a + m) * (a + b + m) * x) / ((a + 2 * m) * (a + 2 * m + 1));
    d = 1 / (1 + term * d || 1e-300);
    c = 1 + term / c || 1e-300;
    const step = c * d;
    f *= step;
    if (Math.abs(1 - step) < 1e-15) break;
  }
  return front * (f - 1);
}

/** Chance of a Student t at least as far from 0 as this one, on either side, with so many degrees of freedom (they may be broken). */
export const studentTwoSided = (t: number, freedom: number): number => incompleteBeta(freedom / (freedom + t * t), freedom / 2, 0.5);

/** The t within which Student's distribution lies with this confidence (0…1), on both sides. */
export function studentCritical(confidence: number, freedom: number): number {
  let [low, high] = [0, 1];
  while (studentTwoSided(high, freedom) > 1 - confidence) high *= 2;
  for (let i = 0; i < 100; i++) {
    const middle = (low + high) / 2;
    if (studentTwoSided(middle, freedom) > 1 - confidence) low = middle;
    else high = middle;
  }
  return (low + high) / 2;
}
