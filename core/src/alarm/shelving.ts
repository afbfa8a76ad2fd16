import type { Severity } from './severity';

/**
 * How long an alert may be put on the shelf at most, minutes: a critical one for no night. ANSI/ISA-18.2 asks for a limit and names none;
 * these are ours.
 */
export const MOST_SHELVED_MINUTES: Readonly<Record<Severity, number>> = { advisory: 7 * 24 * 60, warning: 24 * 60, critical: 60 };
