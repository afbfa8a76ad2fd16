import { readPayload } from '@dewpost/core/adopt';
import { Ear, MOST_A_SECOND } from './adopted-ear';

const text = (words: string) => readPayload(new TextEncoder().encode(words));

it('more than a thousand a second are passed over, and how many is told once the minute is over', () => {
  const ear = new Ear();
  const at = 1_800_000_000_000;
  for (let i = 0; i < MOST_A_SECOND; i++) expect(ear.count(at).read).toBe(true);
  for (let i = 0; i < 7; i++) expect(ear.count(at + 999)).toEqual({ read: false, before: 0 });
  // The next second is heard again.
  expect(ear.count(at + 1000)).toEqual({ read: true, before: 0 });
  expect([ear.view().perMinute, ear.view().skipped]).toEqual([1008, 7]);
  expect(ear.count(at + 60_000)).toEqual({ read: true, before: 7 });
  expect(ear.count(at + 60_001)).toEqual({ read: true, before: 0 });
  expect([ear.view().perMinute, ear.view().skipped]).toEqual([1008, 0]);
  // After a quiet minute the one before it is forgotten.
  ear.count(at + 180_000);
  expect(ear.view().perMinute).toBe(1);
});

it('keeps what came last on a hundred topics, and no hundred and first', () => {
  const ear = new Ear();
  for (let i = 0; i < 101; i++) ear.remember(`oven/${i}`, text('21.4'), false, i);
  ear.remember('oven/0', text('{"a":1}'), true, 5000);
  const { heard } = ear.view();
  expect(heard).toHaveLength(100);
  expect(heard.some(({ topic }) => topic === 'oven/100')).toBe(false);
  expect(heard.find(({ topic }) => topic === 'oven/0')).toMatchObject({
    times: 2,
    every: 5000,
    retained: true,
    kind: 'json',
    leaves: [{ pointer: '/a', value: 1 }],
  });
  ear.remember('oven/1', text('x'.repeat(1000)), false, 9000);
  expect(ear.view().heard.find(({ topic }) => topic === 'oven/1')!.text).toHaveLength(400);
});
