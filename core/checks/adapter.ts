/** Answers one entry's inputs in the entry's own units. */
export type Adapter = (inputs: Record<string, unknown>) => unknown;

/** Hands an entry's figures to a function of the core, in this order. */
export const numbers =
  (f: (...values: number[]) => unknown, ...names: string[]): Adapter =>
  (inputs) =>
    f(...names.map((name) => inputs[name] as number));
