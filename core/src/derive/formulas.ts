import type { Formula } from './formula';
import { OF_AIR } from './of-air';
import { OF_FIGURES } from './of-figures';
import { OF_WATER } from './of-water';

/** What points can be computed from others by, in the order they are offered. */
export const FORMULAS: readonly Formula[] = [...OF_AIR, ...OF_WATER, ...OF_FIGURES];

/** The formula of this name; `undefined`: there is none. */
export const formulaNamed = (id: string): Formula | undefined => FORMULAS.find((one) => one.id === id);
