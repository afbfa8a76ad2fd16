import type { Catalogue } from '@dewpost/core/circuit';
import type { Database } from '../database/connect';
import { nodeKey, type Effect } from '../engine/effects';
import type { Engine } from '../engine/engine';
import type { NodeEntry } from '../model/entries';
import { BatteryWatch } from './battery-watch';

let drawn: object | null = { supply: 'cells', board: 'board' };
jest.mock('../model/drafts', () => ({ draftOf: () => Promise.resolve(drawn) }));
beforeEach(() => (drawn = { supply: 'cells', board: 'board' }));

/** A node on cells whose mark under load is 2.4 V, or on the mains with a board that takes 3 V. */
function house(battery: boolean, state = 'proved') {
  const supply = { battery: battery ? { chemistry: 'alkaline', lowLoadedVolts: 2.4 } : null, panel: null };
  const catalogue = { supplies: new Map([['cells', supply]]), boards: new Map([['board', { supplyVolts: [3, 3.6] }]]) };
  const said: string[] = [];
  const open = new Set<string>();
  const engine = {
    now: () => 7,
    isOpen: (key: string) => open.has(key),
    apply: (effects: readonly Effect[]) => {
      for (const effect of effects)
        if (effect.kind === 'open-alert') {
          open.add(effect.alert.key);
          said.push(effect.alert.text);
        } else if (effect.kind === 'close-alert') {
          open.delete(effect.key);
          said.push(effect.why);
        }
      return Promise.resolve();
    },
  } as unknown as Engine;
  const node = { id: 3, name: 'hatch', title: 'Hatch', state, hello: null } as unknown as NodeEntry;
  const watch = new BatteryWatch({
    database: {} as Database,
    engine,
    profiles: { catalogue: () => Promise.resolve(catalogue as unknown as Catalogue) },
  });
  const says = async (batteryVolts?: number): Promise<string[]> => {
    Object.assign(node, { hello: { batteryVolts } });
    await watch.heard(node);
    return said.splice(0);
  };
  const supplied = async (onBackup: boolean): Promise<string[]> => {
    await watch.supplied(node, onBackup);
    return said.splice(0);
  };
  return { says, supplied, key: nodeKey('battery-low', node, null) };
}

describe('a battery', () => {
  it('at its mark is an alert, once; over only when it is well above it', async () => {
    const { says } = house(true);
    expect(await says(2.5)).toEqual([]);
    expect(await says(2.4)).toEqual([expect.stringMatching(/^2\.40 V with its radio on, 2\.40 V is its mark/)]);
    expect(await says(2.3)).toEqual([]);
    expect(await says(2.45)).toEqual([]);
    expect(await says(3.1)).toEqual(['charged or changed']);
  });
  it('is nothing on the mains, of a node that says no volts, or of one that is not proved', async () => {
    expect(await house(false).says(2.0)).toEqual([]);
    expect(await house(true).says()).toEqual([]);
    expect(await house(true, 'written').says(2.0)).toEqual([]);
  });
  it('that carries a node over a power cut is an alert while it does, once; of a node that is not proved, none', async () => {
    // Adopted, or without a sheet: nobody knows how long.
    drawn = null;
    const { supplied } = house(false);
    expect(await supplied(false)).toEqual([]);
    expect(await supplied(true)).toEqual([expect.stringMatching(/^Its mains are gone, in .*how long that lasts/)]);
    expect([await supplied(true), await supplied(false), await supplied(false)]).toEqual([[], ['on the mains again'], []]);
    expect(await house(false, 'written').supplied(true)).toEqual([]);
  });
});
