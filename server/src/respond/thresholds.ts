import type { ThresholdRuleBody } from '@dewpost/contract';
import { clearLevelOf } from '@dewpost/core/alarm';
import type { Database } from '../database/connect';
import type { Engine } from '../engine/engine';
import { notFound, ProblemError } from '../http/problem';
import type { Hub } from '../live/hub';
import type { Nodes } from '../site/nodes';
import type { PointEntry, Registry, ThresholdEntry } from '../site/registry';

/** Arms, changes and retires thresholds; every version is kept. */
export class Thresholds {
  constructor(private readonly parts: { database: Database; registry: Registry; engine: Engine; hub: Hub; nodes: Nodes }) {}

  async add(pointId: number, body: ThresholdRuleBody, by: string): Promise<ThresholdEntry> {
    const point = this.parts.registry.points.get(pointId);
    if (!point) throw notFound(`point ${pointId}`);
    const rule = this.check(point, body);
    const id = await this.parts.database.transaction(async (trx) => {
      const [row] = (await trx('threshold').insert({ point_id: pointId, version: 1 }).returning('id')) as { id: number }[];
      if (!row) throw new Error('a threshold was not written');
      await trx('threshold_version').insert({ threshold_id: row.id, version: 1, rule: JSON.stringify(rule), made_by: by });
      return row.id;
    });
    const entry = this.parts.registry.putThreshold(id, pointId, 1, rule);
    await this.toNode(point, [rule.output], by);
    return this.tell(entry);
  }

  async change(id: number, body: ThresholdRuleBody, by: string): Promise<ThresholdEntry> {
    const before = this.find(id);
    const rule = this.check(before.point, body);
    const version = before.version + 1;
    await this.parts.engine.changeThreshold(id, 'threshold changed', async (trx) => {
      await trx('threshold_version').insert({ threshold_id: id, version, rule: JSON.stringify(rule), made_by: by });
      await trx('threshold').where({ id }).update({ version });
    });
    const entry = this.parts.registry.putThreshold(id, before.point.id, version, rule);
    await this.toNode(before.point, [before.rule.output, rule.output], by);
    return this.tell(entry);
  }

  async retire(id: number, by: string): Promise<void> {
    const before = this.find(id);
    await this.parts.engine.changeThreshold(id, 'threshold retired', async (trx) => {
      await trx('threshold').where({ id }).update({ retired_at: new Date() });
    });
    this.parts.registry.dropThreshold(id);
    this.parts.hub.publish([{ type: 'threshold-retired', id }]);
    await this.toNode(before.point, [before.rule.output], by);
  }

  /** A node whose own output is switched by this point is told, so that it can go on alone with the link down. */
  private async toNode(point: PointEntry, outputs: readonly (number | null)[], by: string): Promise<void> {
    const { node } = point;
    const own = outputs.some((output) => output !== null && this.parts.registry.points.get(output)?.node === node);
    if (own && point.body.kind === 'measured') await this.parts.nodes.changed(node, `a threshold on ${point.name} was changed by ${by}`);
  }

  private find(id: number): ThresholdEntry {
    const entry = this.parts.registry.thresholds.get(id);
    if (!entry) throw notFound(`threshold ${id} in force`);
    return entry;
  }

  private tell(entry: ThresholdEntry): ThresholdEntry {
    this.parts.hub.publish([{ type: 'threshold', threshold: this.parts.engine.thresholdView(entry) }]);
    return entry;
  }

  /** Adds the clear level; refuses a rule that could never trip or never clear on this point, with the figure. */
  private check(point: PointEntry, body: ThresholdRuleBody): ThresholdEntry['rule'] {
    const { physicalMin, physicalMax, unit } = point.body;
    const clearLevel = clearLevelOf(body.side, body.setpoint, body.deadband);
    const refuse = (path: string, message: string): never => {
      throw new ProblemError(422, 'Cannot be used', message, [{ path: `body.${path}`, message }]);
    };
    if (body.setpoint < physicalMin || body.setpoint > physicalMax) {
      refuse('setpoint', `The setpoint must lie within what the sensor measures: ${physicalMin} to ${physicalMax} ${unit}.`);
    }
    if (clearLevel < physicalMin || clearLevel > physicalMax) {
      refuse('deadband', `With this deadband the alert clears at ${clearLevel} ${unit}, which the sensor never reads: make it smaller.`);
    }
    if (point.body.kind === 'switched' && body.output !== null) refuse('output', 'A switched point may warn, not switch.');
    if (body.output !== null && !this.parts.registry.points.get(body.output)?.body.output)
      refuse('output', `Point ${body.output} is not an output.`);
    return { ...body, clearLevel };
  }
}
