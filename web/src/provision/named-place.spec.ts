import { ApiError } from '../data/api';
import { Rig } from '../testing/rig';
import { NamedPlaceForm } from './named-place';

const open = (make: (wanted: object) => Promise<void>) =>
  Rig.open(NamedPlaceForm, {
    snapshot: { rooms: [{ slug: 'cellar', name: 'Cellar' }] },
    inputs: { prefix: 's', submit: 'Make it', make, cancellable: true },
  });
const value = (rig: Rig<NamedPlaceForm>, id: string) => rig.element.querySelector<HTMLInputElement>(`#${id}`)!.value;

it('asks for both, makes it once, and is empty and quiet again afterwards', async () => {
  const make = jest.fn(() => Promise.resolve());
  const rig = await open(make);
  await rig.press('Make it');
  expect([make.mock.calls.length, rig.text.includes('give it a name'), rig.text.includes('where is it?')]).toEqual([0, true, true]);
  await rig.fill('#s-name', '  Oven ');
  await rig.fill('#s-room', 'Bakery');
  await rig.press('Make it');
  expect(make.mock.calls).toEqual([[{ name: 'Oven', room: 'Bakery' }]]);
  expect([value(rig, 's-name'), rig.text.includes('give it a name')]).toEqual(['', false]);
});

it('what is refused stands at its field, and what was typed stays', async () => {
  const refused = new ApiError(422, 'no', [{ path: 'body.name', message: 'there is one already' }]);
  const rig = await open(() => Promise.reject(refused));
  await rig.fill('#s-name', 'Oven');
  await rig.fill('#s-room', 'Bakery');
  await rig.press('Make it');
  expect([value(rig, 's-name'), rig.text.includes('there is one already'), rig.element.querySelector('[role=alert]') !== null]).toEqual([
    'Oven',
    true,
    true,
  ]);
});
