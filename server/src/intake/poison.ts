/** Readings that cannot be held, whatever is tried: the sender's fault, and only that of the readings themselves. */
export class PoisonError extends Error {}
