import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { MatAutocompleteHarness } from '@angular/material/autocomplete/testing';
import { aNode, Rig } from '../testing/rig';
import { NodePicker } from './node-picker';

const LONG = 'a-node-with-the-longest-name-32c';
const nodes = [
  ...Array.from({ length: 200 }, (_, i) => aNode({ id: `cellar-${i}`, room: i < 100 ? 'Cellar' : 'מרתף ישן' })),
  aNode({ id: LONG, room: 'Loft' }),
];

async function open() {
  const rig = await Rig.open(NodePicker, { snapshot: { nodes }, inputs: { node: 'cellar-7' } });
  const picked: string[] = [];
  rig.fixture.componentInstance.picked.subscribe((id) => picked.push(id));
  const list = await TestbedHarnessEnvironment.loader(rig.fixture).getHarness(MatAutocompleteHarness);
  const offered = async () => Promise.all((await list.getOptions()).map((option) => option.getText()));
  return { rig, list, picked, offered };
}

it('finds one among two hundred by words of its name or its room, whatever its letters', async () => {
  const { list, picked, offered } = await open();
  expect(await list.getValue()).toBe('cellar-7');
  await list.clear();
  await list.focus();
  expect((await offered()).at(-1)).toBe('141 more: type a name or a room');
  await list.enterText('ישן 199');
  expect(await offered()).toEqual(['cellar-199']);
  await list.selectOption({ text: 'cellar-199' });
  expect(picked).toEqual(['cellar-199']);
});

it('drops what was typed and not chosen', async () => {
  const { list, picked, offered } = await open();
  await list.clear();
  await list.enterText('longest');
  expect(await offered()).toEqual([LONG]);
  await list.blur();
  expect([await list.getValue(), picked]).toEqual(['cellar-7', []]);
});
