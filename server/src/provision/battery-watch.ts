import { energyOf, livesOnBattery, type Catalogue } from '@dewpost/core/circuit';
import { batteryLow } from '@dewpost/core/control';
import { formatSpan } from '@dewpost/core/quantity';
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
    if (node.hello?.onBackup !== undefined) await this.supplied(node, node.hello.onBackup);
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

  /** A node has said that it runs on its backup, or on the mains again. */
  async supplied(node: NodeEntry, onBackup: boolean): Promise<void> {
    const { database, engine, profiles } = this.parts;
    const key = nodeKey('on-backup', node, null);
    if (engine.isOpen(key) === onBackup || node.state !== 'proved') return;
    const at = engine.now();
    if (!onBackup) return engine.apply([{ kind: 'close-alert', key, at, why: 'on the mains again' }]);
    const draft = await draftOf(database, node);
    const energy = draft && energyOf(draft, await profiles.catalogue(), Math.random, DRAWS);
    await engine.apply([backupAlert(key, node, energy?.bridgingDays?.low ?? null, at)]);
  }
}

/** Draws of the sum of how long a backup lasts: its lower end is told, to the hour. */
const DRAWS = 200;

/** `days`: what the backup bridges at least, by the sheet; `null`: nobody knows. */
function backupAlert(key: string, node: NodeEntry, days: number | null, at: number): Effect {
  const lasts =
    days === null
      ? 'Its sheet does not say how long that lasts'
      : `By its sheet it lasts ${formatSpan(Math.max(1, Math.floor(days * 24)) * 3600)} at least`;
  return {
    kind: 'open-alert',
    alert: {
      ...{ key, kind: 'on-backup', node, point: null, threshold: null, severity: 'warning', trippedAt: at, value: null, earlier: false },
      title: `${node.title} runs on its backup`,
      text: `Its mains are gone, in ${node.room}. ${lasts}; what is switched from the same mains is without them too. Look at the fuse and the supply.`,
    },
  };
}

const lowAlert = (key: string, node: NodeEntry, { volts, mark, at }: { volts: number; mark: number; at: number }): Effect => ({
  kind: 'open-alert',
  alert: {
    ...{ key, kind: 'battery-low', node, point: null, threshold: null, severity: 'advisory', trippedAt: at, value: volts, earlier: false },
    title: `Battery of ${node.title} is low`,
    text: `${volts.toFixed(2)} V with its radio on, ${mark.toFixed(2)} V is its mark. Change or charge it soon: below that it falls silent in the cold first.`,
  },
});
