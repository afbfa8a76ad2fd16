import type { Point, Relay } from '@dewpost/contract';
import { formatDuration, formatSpan } from '@dewpost/core/quantity';
import { isWithinHours, timeOfMinute } from '@dewpost/core/time';

/** What an output's bar says. */
export interface OutputWords {
  state: 'on' | 'off' | 'unknown';
  /** Inside the bar. */
  inside: string;
  /** At the bar's right end. */
  outside: string;
  /** Share of the bar that is filled, 0…1. */
  left: number;
  held: boolean;
  guards: { text: string; binds: boolean }[];
  /** Who asked, for the second column. */
  asked: string;
  readBack: string;
}

const REASONS: Record<string, string> = {
  'min-off': 'off for a while yet',
  'min-on': 'on for a while yet',
  rest: 'rests after its longest run',
  'max-run': 'ran as long as it may',
  lease: 'its lease ran out',
  'off-by-hand': 'off by hand',
  expired: 'the command came too late',
  'power-up': 'just started',
};

const READ_BACK: Record<string, string> = {
  none: 'no read-back, proves nothing',
  pin: 'pin read back, proves nothing',
  contact: 'contact read back, proves it',
  load: 'load measured, proves it',
};

/** An output in words: its state read back, when it goes off by itself, and which guards bind now. `zone`: whose hours those of its timetable are. */
export function outputWords(point: Point, relay: Relay | null, now: number, zone = 'UTC'): OutputWords {
  const guards = point.output?.guards;
  const state = relay?.state === true ? 'on' : relay?.state === false ? 'off' : 'unknown';
  const held = relay?.result === 'held' && (relay.heldUntil ?? 0) > now;
  const heldFor = formatDuration((relay?.heldUntil ?? now) - now);
  const binding = (name: string): boolean => held && relay?.reason === name;
  const words: OutputWords = {
    state,
    inside: '',
    outside: '',
    left: 0,
    held: false,
    guards: guards
      ? [
          { text: `on at least ${formatSpan(guards.minOnSeconds)}`, binds: binding('min-on') },
          { text: `off at least ${formatSpan(guards.minOffSeconds)}`, binds: binding('min-off') },
          ...(guards.maxRunSeconds === null
            ? []
            : [{ text: `runs at most ${formatSpan(guards.maxRunSeconds)}`, binds: binding('rest') || binding('max-run') }]),
        ]
      : [],
    asked: relay?.askedBy ? (relay.askedFor === 'hand' ? `by hand, ${relay.askedBy}` : relay.askedBy) : 'nobody now',
    readBack: READ_BACK[point.output?.readBack ?? 'none'] ?? '',
  };
  if (state === 'unknown') {
    const leaseLeft = (relay?.leaseUntil ?? 0) - now;
    words.inside =
      leaseLeft > 0 ? `link lost, off in ${formatDuration(leaseLeft)}` : relay?.readAt ? 'link lost, off by itself' : 'not heard yet';
    words.held = true;
    return words;
  }
  if (state === 'on') {
    const leaseLeft = (relay?.leaseUntil ?? now) - now;
    const offAt = relay?.offAt ?? null;
    if (relay && !relay.renewing && leaseLeft > 0) {
      words.inside = `${formatDuration(leaseLeft)} left`;
      words.outside = 'lease, not renewed';
      words.left = Math.min(1, leaseLeft / ((point.output?.leaseSeconds ?? 60) * 1000));
    } else if (offAt !== null) {
      const span = Math.max(1, offAt - (relay?.since ?? now));
      words.inside = `off in ${formatDuration(offAt - now)}`;
      words.outside =
        relay?.endsAt !== null && relay?.endsAt === offAt ? (relay.askedFor === 'timetable' ? 'timetable' : 'by hand') : 'longest run';
      words.left = Math.max(0, Math.min(1, (offAt - now) / span));
    } else {
      words.inside = 'on';
      words.left = 1;
    }
    return words;
  }
  if (relay?.lock) {
    words.held = true;
    words.inside = `locked out by ${relay.lock.by}`;
    return words;
  }
  if (relay?.askedBy && relay.askedFor !== 'hand' && relay.timetable?.hours && !isWithinHours(zone, relay.timetable.hours, now)) {
    words.inside = `waits for its hours, from ${timeOfMinute(relay.timetable.hours.from)}`;
    return words;
  }
  words.held = held;
  words.inside = held ? `may start in ${heldFor}` : relay?.askedBy ? (REASONS[relay.reason ?? ''] ?? 'asked, not on yet') : 'ready';
  return words;
}
