/** NIST StRD Norris: x beside y, 36 rows. Source: NIST/SEMATECH statistical reference datasets, linear regression. */
export const NORRIS: readonly (readonly [x: number, y: number])[] = [
  [0.2, 0.1],
  [337.4, 338.8],
  [118.2, 118.1],
  [884.6, 888.0],
  [10.1, 9.2],
  [226.5, 228.1],
  [666.3, 668.5],
  [996.3, 998.5],
  [448.6, 449.1],
  [777.0, 778.9],
  [558.2, 559.2],
  [0.4, 0.3],
  [0.6, 0.1],
  [775.5, 778.1],
  [666.9, 668.8],
  [338.0, 339.3],
  [447.5, 448.9],
  [11.6, 10.8],
  [556.0, 557.7],
  [228.1, 228.3],
  [995.8, 998.0],
  [887.6, 888.8],
  [120.2, 119.6],
  [0.3, 0.3],
  [0.3, 0.6],
  [556.8, 557.6],
  [339.1, 339.3],
  [887.2, 888.0],
  [999.0, 998.5],
  [779.0, 778.9],
  [11.1, 10.2],
  [118.3, 117.6],
  [229.2, 228.9],
  [669.1, 668.4],
  [448.9, 449.2],
  [0.5, 0.2],
];

const ANSCOMBE_X = [10, 8, 13, 9, 11, 14, 6, 4, 12, 7, 5];
const pairs = (xs: readonly number[], ys: readonly number[]): (readonly [number, number])[] => xs.map((x, i) => [x, ys[i] ?? NaN]);
/** Source: Anscombe 1973, Graphs in statistical analysis. */
export const ANSCOMBE: Readonly<Record<string, readonly (readonly [number, number])[]>> = {
  anscombe1: pairs(ANSCOMBE_X, [8.04, 6.95, 7.58, 8.81, 8.33, 9.96, 7.24, 4.26, 10.84, 4.82, 5.68]),
  anscombe2: pairs(ANSCOMBE_X, [9.14, 8.14, 8.74, 8.77, 9.26, 8.1, 6.13, 3.1, 9.13, 7.26, 4.74]),
  anscombe3: pairs(ANSCOMBE_X, [7.46, 6.77, 12.74, 7.11, 7.81, 8.84, 6.08, 5.39, 8.15, 6.42, 5.73]),
};

/** Hours of sleep that two drugs added for ten people. Source: Student 1908, The probable error of a mean. */
export const SLEEP = {
  a: [0.7, -1.6, -0.2, -1.2, -0.1, 3.4, 3.7, 0.8, 0, 2],
  b: [1.9, 0.8, 1.1, 0.1, -0.1, 4.4, 5.5, 1.6, 4.6, 3.4],
};

/** Source: NIST/SEMATECH e-Handbook 6.4.3.1 (smoothing) and 6.3.2.4 (control chart). */
export const NIST_SMOOTHING = [71, 70, 69, 68, 64, 65, 72, 78, 75, 75, 75, 70];
export const NIST_CHART = [52, 47, 53, 49.3, 50.1, 47, 51, 50.1, 51.2, 50.5, 49.6, 47.6, 49.9, 51.3, 47.8, 51.2, 52.6, 52.4, 53.6, 52.1];

/** Coefficients of the worked examples: Bosch BMP180 datasheet §3.5, BMP280 datasheet §3.12. */
export const ELEVEN = { ac1: 408, ac2: -72, ac3: -14_383, ac4: 32_741, ac5: 32_757, ac6: 23_153, b1: 6190, b2: 4, mc: -8711, md: 2868 };
export const TWELVE = {
  t: [27_504, 26_435, -1000],
  p: [36_477, -10_685, 3024, 2855, 140, -7, 15_500, -14_600, 6000],
} as const;
