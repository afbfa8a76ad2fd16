import { livesOnBattery, type Catalogue } from '@dewpost/core/circuit';
import { batteryLow } from '@dewpost/core/control';
import { leastSupplyVolts } from '@dewpost/core/fit';
import type { Database } from '../database/connect';
import { nodeKey, type Effect } from '../engine/effects';
import type { Engine } from '../engine/engine';
import { draftOf } from '../model/drafts';
import type { NodeEntry } from '../model/entries';

/** Batteries that are low: for every node that lives on one and says its volts, without a rule made by hand. */
export class BatteryWatch {
  constructor(private readonly parts: { database: Database; engine: Engine; profiles: { catalogue(): Promise<Catalogue> } }) {}

  /** A node has said its volts, its radio on: held against the mark of its sheet's battery under that load. */
  async heard(node: NodeEntry): Promise<void> {
    const { database, engine, profiles } = this.parts;
    const volts = node.hello?.batteryVolts;
    const draft = await draftOf(database, node);
    const catalogue = await profiles.catalogue();
    const supply = draft ? catalogue.supplies.get(draft.supply) : undefined;
    const mark = supply && livesOnBattery(supply) ? leastSupplyVolts(draft, catalogue) : null;
    // Follows from the sheet alone: what it measures far below that is doubted.
    node.leastVolts = mark;
    if (mark === null || volts === undefined || node.state !== 'proved') return;
    const key = nodeKey('battery-low', node, null);
    const wasLow = engine.isOpen(key);
    const low = batteryLow(volts, mark, wasLow);
    if (low === wasLow) return;
    const at = engine.now();
    await engine.apply([low ? lowAlert(key, node, { volts, mark, at }) : { kind: 'close-alert', key, at, why: 'charged or changed' }]);
  }
}

const lowAlert = (key: string, node: NodeEntry, { volts, mark, at }: { volts: number; mark: number; at: number }): Effect => ({
  kind: 'open-alert',
  alert: {
    ...{ key, kind: 'battery-low', node, point: null, threshold: null, severity: 'advisory', trippedAt: at, value: volts, earlier: false },
    title: `Battery of ${node.title} is low`,
    text: `${volts.toFixed(2)} V with its radio on, ${mark.toFixed(2)} V is its mark. Change or charge it soon: below that it falls silent in the cold first.`,
  },
});
