import type { Catalogue } from '@dewpost/core/circuit';
import { rawScale } from '@dewpost/core/calibration';
import { FIRST_KEPT, firstProgress, judgeFirstReadings, judgeFirstSupply, leastSupplyVolts, type FirstPoint } from '@dewpost/core/fit';
import { isOfSensor } from '@dewpost/core/wire';
import type { Database, Transaction } from '../database/connect';
import { draftOf } from '../model/drafts';
import { changeNode } from '../model/node-change';
import { uncalibrated } from '../model/views';
import type { NodeEntry } from '../model/entries';
import type { Change } from '../store/change';
import { addStep, endRun } from './run-rows';

/** A reading as it is judged at the start. */
export interface FirstReading {
  readonly point: { readonly name: string };
  readonly value: number;
  readonly quality: string;
}

/** Proves nodes by their first readings, point by point; what came so far is known to the running server only. */
export class FirstReadings {
  private readonly values = new Map<NodeEntry, Map<string, number[]>>();
  /** When the newest of them came, ms. */
  private readonly cameAt = new Map<NodeEntry, number>();

  constructor(
    private readonly parts: {
      profiles: { catalogue(database?: Database | Transaction): Promise<Catalogue> };
      /** A run has changed: told after the commit. */
      told(run: number, node: NodeEntry): void;
    },
  ) {}

  /** Begins anew: the node is written again, or it is given up. */
  forget(node: NodeEntry): void {
    this.values.delete(node);
    this.cameAt.delete(node);
  }

  /** How far it is, and when its next report is due; `null`: nothing has come yet. */
  progress(node: NodeEntry): { have: number; of: number; nextAt: number } | null {
    const [values, at] = [this.values.get(node), this.cameAt.get(node)];
    if (!values || at === undefined) return null;
    return { ...firstProgress(measured(node), values, node.reportSeconds), nextAt: at + node.reportSeconds * 1000 };
  }

  /** Points of which no value, or not enough, has come. */
  missing(node: NodeEntry): { point: string; text: string }[] {
    const values = this.values.get(node) ?? new Map<string, number[]>();
    return judgeFirstReadings(measured(node), values, node.reportSeconds).points.filter((one) => one.verdict === 'more');
  }

  /**
   * The first readings of a node that is not proved yet, in intake's change. One that is on the bench is judged point by point and
   * stops where one is wrong; one that never came to the bench is taken by its first good reading. True: it is proved now.
   */
  async judge(change: Change, node: NodeEntry, readings: readonly FirstReading[]): Promise<boolean> {
    if (node.state === 'stopped') return false;
    const run = (await change
      .trx('provision_run')
      .where({ node_id: node.id, result: 'running' })
      .whereNot({ way: 'air' })
      .forUpdate()
      .first('id')) as { id: number } | undefined;
    if (!run) return this.takeFirstGood(change, node, readings);
    const values = new Map(this.values.get(node));
    for (const { point, value } of readings) values.set(point.name, [...(values.get(point.name) ?? []), value].slice(-FIRST_KEPT));
    const { verdict, points: judged } = judgeFirstReadings(measured(node), values, node.reportSeconds);
    if (verdict === 'more') {
      change.apply(() => {
        this.values.set(node, values);
        this.cameAt.set(node, Date.now());
      });
      change.tell(() => this.parts.told(run.id, node));
      return false;
    }
    const least = leastSupplyVolts(await draftOf(change.trx, node), await this.parts.profiles.catalogue(change.trx));
    const supply = judgeFirstSupply(node.hello?.batteryVolts ?? null, least);
    if (supply) judged.push(supply);
    const of = (kind: string): string =>
      judged
        .filter((one) => one.verdict === kind)
        .map((one) => `${one.point} ${one.text}`)
        .join('; ');
    const wrong = judged.find((one) => one.verdict === 'fail');
    const detail = (wrong ? of('fail') : [of('note'), of('pass')].filter(Boolean).join('; ')).slice(0, 500);
    const state = wrong ? 'stopped' : 'proved';
    await addStep(change.trx, run.id, { step: 'readings', state: wrong ? 'failed' : 'done', ms: null, detail, code: wrong?.code ?? null });
    await endRun(change.trx, run.id, state);
    await changeNode(change, node, { state }, { state });
    change.apply(() => this.forget(node));
    change.tell(() => this.parts.told(run.id, node));
    return !wrong;
  }

  private async takeFirstGood(change: Change, node: NodeEntry, readings: readonly FirstReading[]): Promise<boolean> {
    if (!readings.some((reading) => reading.quality === 'good')) return false;
    // A run that has begun meanwhile, or a verdict of the bench, is not overruled by a reading that was on its way.
    const taken = await change.trx('node').where({ id: node.id }).whereIn('state', ['planned', 'written']).update({ state: 'proved' });
    if (taken === 0) return false;
    change.apply(() => (node.state = 'proved'));
    return true;
  }
}

/** What a node measures, as its first readings are judged: what nothing converts yet by the range of its raw value. */
export const measured = (node: NodeEntry): (FirstPoint & { kind: 'measured' })[] =>
  [...node.points.values()].flatMap((point) => {
    const { kind, raw } = point.body;
    if (kind !== 'measured' || !isOfSensor(point)) return [];
    const body = { ...point.body, kind };
    return [raw && uncalibrated(point) ? { ...body, ...rawScale(raw), physicalMin: raw.min, physicalMax: raw.max } : body];
  });
