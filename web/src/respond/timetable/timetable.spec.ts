import { respond, type Relay } from '@dewpost/contract';
import { MAT_DIALOG_DATA, MatDialogRef } from '@angular/material/dialog';
import { aNode, aPoint, aRelay, Rig } from '../../testing/rig';
import { ApiError } from '../../data/api';
import { TimetableDialog } from './timetable-dialog';
import {
  daysWords,
  draftOfTimetable,
  FRESH_LINE,
  lineWords,
  nextAt,
  timetableFindings,
  timetableOfDraft,
  timetableWords,
  type OutputTimetable,
} from './timetable-form';

const EVERY_DAY = [1, 2, 3, 4, 5, 6, 7];
const MORNING = { weekdays: EVERY_DAY, minute: 360, seconds: 600, again: null };
const MISTING = { weekdays: [1, 2, 3, 4, 5], minute: 540, seconds: 30, again: { everyMinutes: 20, untilMinute: 1080 } };
const timetable = (change: Partial<OutputTimetable> = {}): OutputTimetable => ({ version: 3, lines: [MORNING], hours: null, ...change });

describe('a timetable in words', () => {
  it('says days as people do, and each line with what it comes to', () => {
    expect([EVERY_DAY, [1, 2, 3, 4, 5], [6, 7], [1, 3, 5]].map(daysWords)).toEqual([
      'every day',
      'Mon to Fri',
      'Sat, Sun',
      'Mon, Wed, Fri',
    ]);
    expect(lineWords(MORNING)).toBe('every day at 06:00 for 10 min');
    expect(lineWords(MISTING)).toBe('Mon to Fri every 20 min from 09:00 until 18:00, 30 s each');
    expect(timetableWords(timetable({ hours: { from: 420, to: 1260 } }))).toBe('every day at 06:00 for 10 min; only from 07:00 to 21:00');
    expect([timetableWords(null), timetableWords(timetable({ lines: [] }))]).toEqual([null, null]);
    expect(timetableWords(timetable({ lines: [MORNING, MORNING, MISTING, MISTING] }))).toBe('4 lines');
  });
  it('knows when it runs next, in the time of the site', () => {
    const noon = Date.UTC(2026, 10, 27, 12);
    expect(nextAt(timetable(), 'UTC', noon)).toBe(Date.UTC(2026, 10, 28, 6));
    expect(nextAt(timetable(), 'Europe/Berlin', noon)).toBe(Date.UTC(2026, 10, 28, 5));
    expect(nextAt(timetable({ lines: [] }), 'UTC', noon)).toBeNull();
  });
});

describe('a timetable as it is typed', () => {
  it('becomes what it was, there and back', () => {
    const whole = timetable({ lines: [MORNING, MISTING], hours: { from: 1320, to: 360 } });
    const { version: _, ...rest } = whole;
    expect(timetableOfDraft(draftOfTimetable(whole))).toEqual(rest);
    const untilMidnight = timetable({ lines: [{ ...MISTING, again: { everyMinutes: 20, untilMinute: 1440 } }] });
    expect(timetableOfDraft(draftOfTimetable(untilMidnight))?.lines).toEqual(untilMidnight.lines);
  });
  it('is none while a field of it is none, and says at which field', () => {
    const draft = (line: Partial<typeof FRESH_LINE>, hours: { from?: string; to?: string } = {}) => ({
      lines: [{ ...FRESH_LINE, ...line }],
      ...{ from: '', to: '', ...hours },
    });
    expect(timetableOfDraft(draft({ start: '25:00' }))).toBeNull();
    expect(timetableOfDraft(draft({ minutes: null }))).toBeNull();
    expect(timetableFindings(draft({}), 600)).toEqual([]);
    expect(timetableFindings(draft({ minutes: 11 }), 600)).toMatchObject([{ path: ['lines', 0, 'minutes'] }]);
    expect(timetableFindings(draft({ weekdays: [] }), 600)).toMatchObject([{ path: ['lines', 0, 'weekdays'] }]);
    expect(timetableFindings(draft({ everyMinutes: 10 }), null)).toMatchObject([{ path: ['lines', 0, 'everyMinutes'] }]);
    expect(timetableFindings(draft({}, { from: '07:00' }), null)).toMatchObject([{ path: ['to'] }]);
    expect(timetableFindings(draft({}, { from: '07:00', to: '07:00' }), null)).toMatchObject([{ path: ['to'] }]);
  });
});

describe('the dialog', () => {
  const output = aPoint({
    ...{ id: 2, name: 'fan', label: 'Fan', kind: 'switched', unit: '', min: 0, max: 1, decimals: 0 },
    output: {
      ...{ leaseSeconds: 60, readBack: 'contact', caution: '' },
      guards: { minOnSeconds: 10, minOffSeconds: 20, maxRunSeconds: 600, restSeconds: 60 },
    },
  });
  const relay = (laid: OutputTimetable | null): Relay => aRelay({ timetable: laid });
  const open = async (laid: OutputTimetable | null, answer: unknown) => {
    const close = jest.fn();
    const rig = await Rig.open(TimetableDialog, {
      snapshot: { nodes: [aNode()], points: [output] },
      answers: [[respond.setTimetable, answer]],
      providers: [
        { provide: MAT_DIALOG_DATA, useValue: { point: output, timetable: laid } },
        { provide: MatDialogRef, useValue: { close } },
      ],
    });
    return { rig, close };
  };

  it('keeps what was typed as a change of the version that it began from', async () => {
    const { rig, close } = await open(timetable(), relay(timetable({ version: 4 })));
    expect(rig.text).toContain('every day at 06:00 for 10 min: 10 min a day');
    await rig.press('Keep it');
    expect(rig.asked(respond.setTimetable)).toEqual([{ params: { id: 2 }, body: { lines: [MORNING], hours: null, from: 3 } }]);
    expect(close).toHaveBeenCalled();
  });

  it('for an output that has none adds no run by itself: hours alone may be kept', async () => {
    const { rig } = await open(null, relay(timetable({ version: 1, lines: [] })));
    expect(rig.text).toContain('It runs by no timetable.');
    const [from, to] = [...rig.element.querySelectorAll<HTMLInputElement>('input')];
    for (const [field, text] of [
      [from, '07:00'],
      [to, '21:00'],
    ] as const) {
      field!.value = text;
      field!.dispatchEvent(new Event('input', { bubbles: true }));
    }
    await rig.press('Keep it');
    expect(rig.asked(respond.setTimetable).map(({ body }) => body)).toEqual([{ lines: [], hours: { from: 420, to: 1260 }, from: 0 }]);
  });

  it('sends nothing that could not be right, and says so', async () => {
    const { rig, close } = await open(timetable({ lines: [{ ...MORNING, seconds: 1200 }] }), relay(null));
    await rig.press('Keep it');
    expect(rig.text).toContain('Not kept: see the fields.');
    expect(rig.text).toContain('at most 10 min at a time');
    expect([rig.asked(respond.setTimetable), close.mock.calls]).toEqual([[], []]);
  });

  it('somebody faster: both stand side by side, and either can be taken', async () => {
    const theirs = timetable({ version: 9, lines: [MISTING] });
    let calls = 0;
    const { rig, close } = await open(timetable(), () =>
      calls++ === 0 ? new ApiError(409, 'Changed meanwhile', [], relay(theirs)) : relay(timetable({ version: 10 })),
    );
    await rig.press('Keep it');
    expect(rig.text).toContain('version 9 is in force');
    await rig.press('Save mine over it');
    expect(rig.asked(respond.setTimetable).map(({ body }) => (body as { from: number }).from)).toEqual([3, 9]);
    expect(close).toHaveBeenCalledTimes(1);
  });
});
