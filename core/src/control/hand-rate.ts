/** So often an output is switched on by hand within so long, at most: a contact, a motor and whoever presses by mistake are spared. Ours. */
export const HAND_SWITCHES = { most: 6, withinMs: 60_000 } as const;

/** How long until a hand may switch it on again, ms; 0: now. `times`: when hands switched it on, in order (ms). */
export function handWaitMs(times: readonly number[], now: number): number {
  const first = times.filter((at) => at > now - HAND_SWITCHES.withinMs).at(-HAND_SWITCHES.most);
  return first === undefined ? 0 : first + HAND_SWITCHES.withinMs - now;
}
