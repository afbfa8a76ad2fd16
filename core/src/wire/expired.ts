import type { DoMessage } from './messages';

/** Is a command too old to be obeyed at `now` (ms)? An *off* never is: whatever the clocks say, off is the safe side. */
export const isExpired = (command: Pick<DoMessage, 'value' | 'notAfter'>, now: number): boolean => command.value && now > command.notAfter;
