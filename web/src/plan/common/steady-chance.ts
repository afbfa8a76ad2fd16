/** The same sequence every time, so that a figure does not flicker while nothing changes. */
export function steadyChance(): () => number {
  let state = 20_261;
  return () => (state = (state * 16_807) % 2_147_483_647) / 2_147_483_647;
}
