import { formatDuration, formatNumber } from '../../quantity';
import { nearestPreferred } from '../sheet/preferred';
import { LONGEST_TIMER_SECONDS, periodOfResistor, timerResistorOhms } from '../../power';
import { isCutOff, wakesByClock, type SheetDraft } from '../sheet/draft';
import { feedOf, type PartProfile } from '../profile';
import { LEASE_SECONDS } from './outputs';
import { ohmsText, type Bench, type Check } from './check';

/** A sign of life of what protects people or the house, s, and of everything else. */
const PROTECTIVE_SECONDS = 3600;
/** A timer further off than this is not the one that was asked for. */
const TIMER_TOLERANCE = 0.1;

const hasSignal = (profile: PartProfile, signal: string): boolean => profile.terminals.some((terminal) => terminal.signal === signal);
const fails = (id: string, title: string, figure: string, limit: string, reason: string, at: string, fix?: Check['fix']): Check => ({
  id,
  verdict: 'fail',
  title,
  figure,
  limit,
  reason,
  at,
  ...(fix && { fix }),
});
const wakeBy = (draft: SheetDraft, wake: SheetDraft['wake'], label: string): NonNullable<Check['fix']> => ({
  label,
  draft: { ...draft, wake },
});

/** What a sleeping node cannot see, hold or answer. */
export function checkWake(bench: Bench): Check[] {
  if (!bench.asleep) return [];
  return [...holds(bench), ...sees(bench), ...signsOfLife(bench), ...timer(bench)];
}

/** Outputs and access points need a node that is awake. */
function holds({ board, draft, parts }: Bench): Check[] {
  const awake = wakeBy(draft, 'stays awake', 'Let it stay awake');
  const found: Check[] = [];
  if (board.accessPoint)
    found.push(
      fails(
        'gateway-sleeps',
        'An access point that sleeps',
        `asleep ${formatDuration(draft.reportSeconds * 1000)} at a time`,
        'always on',
        'Its nodes would find no network: it stays awake, on the mains, with a backup, or on a panel of its own.',
        '',
        awake,
      ),
    );
  const output = parts.find(({ profile }) => profile.output !== null);
  if (!output) return found;
  if (isCutOff(draft))
    found.push(
      fails(
        'wake',
        'Cut off while it holds an output',
        draft.wake,
        'stays awake',
        'Between wakes the board has no power: the output falls off, and no command reaches it.',
        output.place.ref,
        awake,
      ),
    );
  else
    found.push(
      fails(
        'lease',
        'Asleep while it should answer',
        `asleep ${formatDuration(draft.reportSeconds * 1000)} at a time`,
        `a lease of ${LEASE_SECONDS} s`,
        'A command is good for a minute and reaches only a node that is awake: the output would fall off, or never be switched.',
        output.place.ref,
        awake,
      ),
    );
  return found;
}

/** Contacts and pulses that change while nobody looks. */
function sees({ draft, parts }: Bench): Check[] {
  const found: Check[] = [];
  for (const { place, profile } of parts) {
    if (hasSignal(profile, 'pulse-in') && profile.points.length > 0 && !drivenEcho(profile))
      found.push(
        fails(
          'pulses-asleep',
          'Pulses that come while it sleeps',
          `${profile.name}`,
          'awake, or on a counter of its own',
          'A sleeping node counts nothing: what passes between two wakes is lost, and nobody notices.',
          place.ref,
          wakeBy(draft, 'stays awake', 'Let it stay awake'),
        ),
      );
    if (!hasSignal(profile, 'contact')) continue;
    if (draft.wake === 'nanopower timer')
      found.push(
        fails(
          'unseen',
          profile.points.some((point) => point.protective) ? 'A flood that is not seen' : 'A change that is not seen',
          draft.wake,
          'a contact that wakes it',
          `Between two wakes it has no power: ${profile.points[0]?.label ?? profile.name} is noticed ${formatDuration(draft.reportSeconds * 1000)} late, or never.`,
          place.ref,
          wakeBy(draft, 'contact pulse and timer', 'Let the contact switch it on too'),
        ),
      );
    else if (isCutOff(draft) && profile.terminals.some((terminal) => terminal.hertz > 0))
      found.push(
        fails(
          'pulses-asleep',
          'Tips that are lost',
          draft.wake,
          'board timer',
          'Every tip would have to switch the node on, and start it: tips that follow each other are lost. Let the board sleep by its own timer and count its wakes.',
          place.ref,
          wakeBy(draft, 'board timer', 'Board timer'),
        ),
      );
  }
  if (draft.wake.startsWith('contact pulse') && !parts.some(({ profile }) => hasSignal(profile, 'contact')))
    found.push(
      fails(
        'wake',
        'Nothing wakes it',
        'no contact',
        'one contact',
        'A contact pulse circuit powers the board when a contact changes: add one, or wake by a timer.',
        '',
        wakeBy(draft, 'board timer', 'Board timer'),
      ),
    );
  return found;
}

/** A pulse that answers the part's own trigger is waited for: it does not come by itself. */
const drivenEcho = (profile: PartProfile): boolean => hasSignal(profile, 'digital-out');

/** Silence must mean something: the clock has to wake it, an hour apart where it protects. */
function signsOfLife({ draft, parts }: Bench): Check[] {
  const found: Check[] = [];
  const protective = parts.find(({ profile }) => profile.points.some((point) => point.protective));
  const sampled = parts.find(
    ({ profile }) => profile.points.some((point) => point.reports === 'interval') && feedOf(profile) !== 'contact',
  );
  if (!wakesByClock(draft)) {
    const one = protective ?? sampled;
    found.push({
      id: 'no-clock',
      verdict: one ? 'fail' : 'warn',
      title: one ? 'Nothing wakes it by the clock' : 'It gives no sign of life',
      figure: draft.wake,
      limit: sampled ? `a report every ${formatDuration(draft.reportSeconds * 1000)}` : 'a sign of life',
      reason: sampled
        ? 'Only the contact switches it on: nothing is measured until somebody moves it.'
        : 'A flat battery and a shut door look the same: nobody hears that it is gone.',
      at: one?.place.ref ?? '',
      fix: wakeBy(draft, 'contact pulse and timer', 'Contact and timer'),
    });
  } else if (protective && draft.reportSeconds > PROTECTIVE_SECONDS)
    found.push(
      fails(
        'sign-of-life',
        'A protector that is seldom heard of',
        `every ${formatDuration(draft.reportSeconds * 1000)}`,
        'every hour',
        'A flood contact that has died must be noticed before the flood: an hour between its signs of life, two missed raise the alarm.',
        protective.place.ref,
        { label: 'Report every hour', draft: { ...draft, reportSeconds: PROTECTIVE_SECONDS } },
      ),
    );
  return found;
}

function timer({ draft }: Bench): Check[] {
  if (draft.wake !== 'nanopower timer' && draft.wake !== 'contact pulse and timer') return [];
  const wanted = timerResistorOhms(draft.reportSeconds);
  const fitted = wanted === null ? null : nearestPreferred(wanted, 96);
  const period = fitted === null ? null : periodOfResistor(fitted);
  const off = period === null ? Infinity : Math.abs(period / draft.reportSeconds - 1);
  const found = fitted !== null && period !== null && off <= TIMER_TOLERANCE;
  return [
    {
      id: 'timer',
      verdict: found ? 'pass' : 'fail',
      title: 'Resistor of the nanopower timer',
      figure: found ? `${ohmsText(fitted)}, ${formatNumber(period, period < 100 ? 1 : 0)} s` : `${formatNumber(draft.reportSeconds)} s`,
      limit: '1 s to 2 h',
      reason: found
        ? `${formatNumber(draft.reportSeconds)} s wants ${ohmsText(Math.round(wanted ?? 0))}; the nearest of the E96 row is ${formatNumber(off * 100, 1)} % off. By the timer datasheet’s formula.`
        : draft.reportSeconds > LONGEST_TIMER_SECONDS
          ? 'The timer cannot wait so long: report at least every two hours.'
          : `No resistor gives this span: the nearest is ${formatNumber(off * 100)} % off.`,
      at: '',
      ...(!found &&
        draft.reportSeconds > LONGEST_TIMER_SECONDS && {
          fix: { label: 'Report every 2 h', draft: { ...draft, reportSeconds: LONGEST_TIMER_SECONDS } },
        }),
    },
  ];
}
