import type { Engine } from '../engine/engine';
import type { Hub } from '../events/hub';
import type { NodeEntry } from '../model/entries';
import { changeNode, laneOf, tellNode } from '../model/node-change';
import { writeNodeLog } from '../model/node-log';
import type { Store } from '../store/change';
import { stopOpen } from './air-runs';

/** Takes the board off a node: the node waits at the bench for another, with all that was kept of it. */
export async function retireBoard(
  { store, engine, hub }: { store: Store; engine: Engine; hub: Hub },
  node: NodeEntry,
  by: string,
): Promise<void> {
  await store.inTurn(laneOf(node), () =>
    engine.release(node, `its board was retired by ${by}`, async (change) => {
      await stopOpen(change, node);
      await changeNode(
        change,
        node,
        { state: 'planned', hardware_id: null, hello: null, fitted_at: null, fitted_by: null, unproved: [], written_at: new Date() },
        { state: 'planned', hardwareId: null, hello: null, fittedAt: null, unproved: new Set() },
      );
      await writeNodeLog(change.trx, [
        { node, level: 'info', text: `its board ${node.hardwareId ?? ''} was retired by ${by}: write another one as this node` },
      ]);
      tellNode(change, hub, node);
    }),
  );
}
