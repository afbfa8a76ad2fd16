import { ProblemError } from '../problem/problem';
import type { NodeEntry } from '../model/entries';
import type { FirmwareRow } from './firmware';
import { whoGoes } from './rollout-plan';
import type { Build } from './rollout-under-way';

const NOW = Date.UTC(2026, 10, 28, 12);
const image = {
  id: 'dewnode-1.1.0',
  board: 'wifi-dual-38',
  sha256: 'b'.repeat(64),
  signed_by: 'workshop',
  minimum_revision: 1,
} as FirmwareRow;
const before = { ...image, id: 'dewnode-1.0.0', sha256: 'a'.repeat(64) } as FirmwareRow;
const RULE = { canaries: 1, shares: [0.5, 1] } as Parameters<typeof whoGoes>[1];
let ids = 0;
const node = (name: string, change: object = {}): NodeEntry =>
  ({
    ...{ id: ++ids, name, kind: 'node', state: 'proved', gateway: null, revision: 3, points: new Map() },
    ...{ hello: { firmwareSha256: before.sha256 }, ...change },
  }) as unknown as NodeEntry;
const plan = (entries: NodeEntry[], builds = new Map<number, Build>()) =>
  whoGoes(image, RULE, entries, { images: [image, before], builds, now: NOW });

describe('who goes in which step', () => {
  it('canaries first, then by shares; each with the image it could go back to', () => {
    const entries = ['a', 'b', 'c', 'd', 'e'].map((name) => node(name));
    const { facts, going, nodes } = plan(entries);
    expect(nodes.map(({ node: name, step, state }) => `${name} ${step} ${state}`)).toEqual([
      'a 0 waiting',
      'b 1 waiting',
      'c 1 waiting',
      'd 2 waiting',
      'e 2 waiting',
    ]);
    expect(going).toEqual(entries);
    expect([...facts.values()].every(({ before: back, from, runId }) => back === 'dewnode-1.0.0' && from === null && runId === null)).toBe(
      true,
    );
  });

  it('who cannot take it is left out with its reason, and counts in no step', () => {
    const other = node('other');
    const builds = new Map<number, Build>([[other.id, { board: 'gateway-board', battery: null, sleeps: false }]]);
    const { going, nodes } = plan(
      [node('a'), other, node('new', { state: 'planned' }), node('same', { hello: { firmwareSha256: image.sha256 } }), node('z')],
      builds,
    );
    expect(nodes.filter(({ state }) => state === 'left-out').map(({ node: name, step, why }) => `${name} ${step} ${why}`)).toEqual([
      'other -1 has a gateway-board, the image is for wifi-dual-38',
      'new -1 is not proved yet: write it at the bench',
      'same -1 runs it already',
    ]);
    expect(going.map(({ name }) => name)).toEqual(['a', 'z']);
    expect(nodes.find(({ node: name }) => name === 'z')?.step).toBe(1);
  });

  it('where nobody is left nothing begins, and every reason is said', () => {
    const refused = (): unknown => plan([node('new', { state: 'planned' }), node('leaf', { gateway: 'weir' })]);
    expect(refused).toThrow(ProblemError);
    expect(refused).toThrow(/new is not proved yet.*; leaf is a leaf/);
  });

  it('an image that is not in the library is nothing to go back to', () => {
    const [only] = [...plan([node('a', { hello: { firmwareSha256: 'c'.repeat(64) } })]).facts.values()];
    expect(only?.before).toBeNull();
  });
});
