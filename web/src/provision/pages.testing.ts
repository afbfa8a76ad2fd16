import { aNode, NOON } from '../testing/rig';

/** Nodes of every kind that a page of this stage tells apart. */
export const nodes = [
  aNode(),
  aNode({ id: 'cellar-relays', room: 'Cellar', revision: 3, haveRevision: 2 }),
  aNode({ id: 'weir-gate', gateway: 'weir-gateway', keySealed: true }),
  aNode({ id: 'weir-gateway', keyRotates: true }),
  aNode({ id: 'roof-rain', state: 'planned', heardAt: null, haveRevision: null, keySealed: true, fittedAt: null }),
];

/** An image of the library. */
export const image = (change: object = {}) => ({
  id: 'dewnode-1.1.0-wifi-dual-38',
  name: 'dewnode',
  version: '1.1.0',
  board: 'wifi-dual-38',
  bytes: 160 * 1024,
  sha256: 'ab'.repeat(32),
  minimumRevision: 1,
  notes: 'Joins sooner.',
  lamp: {},
  signedBy: 'workshop',
  madeBy: 'millwright',
  parts: null,
  configuration: null,
  madeAt: NOON,
  nodes: ['a-1', 'a-2', 'a-3', 'a-4', 'a-5'],
  ...change,
});
