import { Registry } from '../model/registry';
import type { NodeEntry } from '../model/entries';
import { nodeKey } from './effects';
import { silencesOf } from './silence';

const NOW = Date.UTC(2026, 10, 27, 12);
let ids = 0;
const nodeOf = (name: string, change: object = {}): NodeEntry =>
  ({
    ...{ id: ++ids, name, title: name, kind: 'node', state: 'proved', reportSeconds: 60, heardAt: NOW, silent: false, connected: false },
    ...{ gateway: null, keyDigest: Buffer.from(name), points: new Map() },
    ...change,
  }) as unknown as NodeEntry;
function house(...nodes: NodeEntry[]) {
  const registry = new Registry();
  registry.putNodes(nodes);
  const alerts = new Map<string, unknown>();
  /** What is found, taken in as the engine does. */
  const look = (seconds: number, listeningSince = 0): string[] =>
    silencesOf(registry, alerts, NOW + seconds * 1000, listeningSince).map(({ node, silent, effect }) => {
      node.silent = silent;
      if (effect?.kind === 'open-alert') alerts.set(effect.alert.key, {});
      if (effect?.kind === 'close-alert') alerts.delete(effect.key);
      const words = effect?.kind === 'open-alert' ? effect.alert.text : (effect?.kind ?? 'nothing');
      return `${node.name} ${silent ? 'silent' : 'heard'}: ${words}`;
    });
  return { look, alerts };
}

describe('silence', () => {
  it('is three reports that were missed, once, and over when it is heard', () => {
    const node = nodeOf('loft');
    const { look, alerts } = house(node);
    expect(look(180)).toEqual([]);
    expect(look(181)).toEqual([expect.stringMatching(/^loft silent: Heard last 3 min ago/)]);
    expect([look(200), alerts.has(nodeKey('silent', node, null))]).toEqual([[], true]);
    node.heardAt = NOW + 210_000;
    expect(look(211)).toEqual(['loft heard: close-alert']);
  });
  it('is judged of nobody while the server did not listen, nor of what is computed, not proved, or adopted and there', () => {
    const { look } = house(
      nodeOf('late'),
      nodeOf('computed', { kind: 'computed', heardAt: NOW - 9e6 }),
      nodeOf('written', { state: 'written', heardAt: NOW - 9e6 }),
      nodeOf('adopted', { kind: 'adopted', connected: true, heardAt: NOW - 9e6 }),
    );
    expect(look(600, NOW + 500_000)).toEqual([]);
    expect(look(600)).toHaveLength(1);
  });
  it('of a gateway is one alert that names its leaves; a leaf that stays silent after it has one of its own', () => {
    const gateway = nodeOf('weir');
    const [gate, other] = [nodeOf('gate', { gateway: 'weir' }), nodeOf('other', { gateway: 'weir' })];
    // The leaf is looked at first, and falls silent in the same moment.
    const { look, alerts } = house(gate, other, gateway);
    expect(look(181)).toEqual([
      'gate silent: nothing',
      'other silent: nothing',
      expect.stringMatching(/^weir silent: .*With it, unheard: gate, other\. Look at its supply/),
    ]);
    expect([look(200), alerts.size]).toEqual([[], 1]);
    gateway.heardAt = gate.heardAt = NOW + 300_000;
    expect(look(301)).toEqual(['gate heard: nothing', expect.stringMatching(/^other silent: Heard last/), 'weir heard: close-alert']);
    other.heardAt = NOW + 302_000;
    expect(look(303)).toEqual(['other heard: close-alert']);
  });

  describe('of an access point', () => {
    const joined = (name: string, change: object = {}): NodeEntry => nodeOf(name, { hello: { accessPoint: '02:aa' }, ...change });
    it('is one alert with its nodes, and over with the first that is heard; whoever stays silent has one of its own then', () => {
      const [one, two, three] = [joined('one'), joined('two'), joined('three', { heardAt: NOW + 20_000 })];
      const elsewhere = nodeOf('elsewhere', { hello: { accessPoint: '02:bb' } });
      const { look, alerts } = house(one, two, three, elsewhere);
      expect(look(181)).toEqual([
        expect.stringMatching(/^one silent: All that joined 02:aa are unheard: one, two, three\. .*Look at the access point/),
        'two silent: nothing',
        // Alone at its own, it is a node that is silent.
        expect.stringMatching(/^elsewhere silent: Heard last/),
      ]);
      expect(look(201)).toEqual(['three silent: nothing']);
      expect([alerts.size, alerts.has(nodeKey('access-point', one, null))]).toEqual([2, true]);
      two.heardAt = three.heardAt = NOW + 300_000;
      expect(look(301)).toEqual([
        'one silent: close-alert',
        expect.stringMatching(/^one silent: Heard last/),
        'two heard: nothing',
        'three heard: nothing',
      ]);
      one.heardAt = NOW + 310_000;
      expect(look(311)).toEqual(['one heard: close-alert']);
    });
    it('is judged by those that would be heard by now: one that sleeps on says nothing either way', () => {
      const asleep = joined('asleep', { reportSeconds: 21_600 });
      const { look, alerts } = house(asleep, joined('one'), joined('two'));
      expect(look(181)).toEqual([
        expect.stringMatching(/^one silent: All that joined 02:aa are unheard: one, two\./),
        'two silent: nothing',
      ]);
      // It stands at the first of all, whoever is missed later.
      expect([alerts.has(nodeKey('access-point', asleep, null)), look(30_000)]).toEqual([true, []]);
    });
    it('is none while one of its nodes keeps its link, or has reported in time', () => {
      for (const there of [{ connected: true }, { heardAt: NOW + 150_000 }]) {
        const { look } = house(joined('one'), joined('two', there));
        expect(look(181)[0]).toMatch(/^one silent: Heard last/);
      }
    });
  });
});
