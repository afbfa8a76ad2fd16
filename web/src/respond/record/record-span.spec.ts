import { DateTime } from 'luxon';
import { Rig } from '../../testing/rig';
import { RecordSpanChoice, timesOf, type RecordSpan } from './record-span';

const DAY = 86_400_000;
const KIRITIMATI = 'Pacific/Kiritimati';

async function open() {
  const rig = await Rig.open(RecordSpanChoice, { inputs: { span: { hours: 336 }, zone: KIRITIMATI } });
  const taken: RecordSpan[] = [];
  rig.fixture.componentInstance.span.subscribe((span) => taken.push(span));
  const toggle = async (words: string): Promise<void> => {
    [...rig.element.querySelectorAll<HTMLButtonElement>('mat-button-toggle button')]
      .find((one) => one.textContent?.trim() === words)
      ?.click();
    await rig.settle();
  };
  const type = async (place: 'first' | 'final', day: DateTime): Promise<void> => {
    rig.fixture.componentInstance[place].setValue(day);
    await rig.settle();
  };
  return { rig, taken, toggle, type };
}

it('is the last hours, or days of the site from midnight to midnight, wherever the browser is', async () => {
  const { rig, taken, toggle, type } = await open();
  await toggle('7 d');
  expect(taken).toEqual([{ hours: 168 }]);
  await toggle('days');
  const today = DateTime.now().setZone(KIRITIMATI).startOf('day');
  expect(taken.at(-1)).toEqual({ from: today.minus({ days: 14 }).toMillis(), until: today.plus({ days: 1 }).toMillis() });
  // As a browser elsewhere has the day that somebody picked.
  await type('first', DateTime.fromObject({ year: 2026, month: 3, day: 1 }, { zone: 'America/Lima' }));
  await type('final', DateTime.fromObject({ year: 2026, month: 3, day: 1 }, { zone: 'America/Lima' }));
  const begin = Date.UTC(2026, 1, 28, 10);
  expect(taken.at(-1)).toEqual({ from: begin, until: begin + DAY });
  expect(rig.element.querySelector('[role=alert]')).toBeNull();
});

it('days that run backwards, or lie ahead, are said and not taken', async () => {
  const { rig, taken, toggle, type } = await open();
  await toggle('days');
  const before = taken.length;
  await type('final', DateTime.now().minus({ days: 30 }));
  expect([rig.text.includes('The first day comes after the last one'), taken.length]).toEqual([true, before]);
  await type('first', DateTime.now().plus({ days: 3 }));
  expect([rig.text.includes('The first day has not come yet'), taken.length]).toEqual([true, before]);
});

it('ends now at the latest', () => {
  expect(timesOf({ hours: 24 }, 2 * DAY)).toEqual({ from: DAY, until: 2 * DAY });
  expect(timesOf({ from: DAY, until: 3 * DAY }, 2 * DAY)).toEqual({ from: DAY, until: 2 * DAY });
  expect(timesOf({ from: 0, until: DAY }, 2 * DAY)).toEqual({ from: 0, until: DAY });
});
