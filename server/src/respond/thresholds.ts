import type { ThresholdRuleBody, ThresholdVersion } from '@dewpost/contract';
import { clearLevelOf, consequencesFault, knowsAnything, LEAST_WEEKS, othersNamed, usualConsequences } from '@dewpost/core/alarm';
import { counted } from '@dewpost/core/quantity';
import { MOST_OWN_THRESHOLDS } from '@dewpost/core/wire';
import { figuresFault, proportionFault } from './rule-figures';
import type { Engine } from '../engine/engine';
import { alertText } from '../engine/evaluate';
import { titleOf } from '../engine/rule-words';
import { changedMeanwhile, notFound, ProblemError } from '../problem/problem';
import type { Hub } from '../events/hub';
import type { Nodes } from '../nodes/nodes';
import type { PointEntry, ThresholdEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { Habits } from '../record/habits';
import type { Change, Store } from '../store/change';

interface VersionRow {
  version: number;
  rule: ThresholdEntry['rule'];
  made_by: string;
  made_at: Date;
  why: string;
}

/** Arms, changes and retires thresholds; every version is kept. */
export class Thresholds {
  constructor(
    private readonly parts: {
      store: Store;
      registry: Registry;
      engine: Engine;
      hub: Hub;
      nodes: Nodes;
      habits: Habits;
      /** Ways there are. */
      ways(): readonly { readonly id: number }[];
    },
  ) {}

  /** Arms a rule on a point, and the same on `others`: on all of them or none. Gives the first. */
  async add(pointId: number, body: ThresholdRuleBody, by: string, others: readonly number[] = []): Promise<ThresholdEntry> {
    const { store, registry } = this.parts;
    this.refuseAlike(body, others.length);
    const ready = [...new Set([pointId, ...others])].map((one) => {
      const point = registry.points.get(one);
      if (!point) throw notFound(`point ${one}`);
      return { point, rule: this.check(point, body, null) };
    });
    for (const { point } of ready) await this.learn(point, body);
    const [first] = await store.commit(async (change) => {
      const ids: number[] = [];
      for (const { point, rule } of ready) {
        const [row] = (await change.trx('threshold').insert({ point_id: point.id, version: 1 }).returning('id')) as { id: number }[];
        if (!row) throw new Error('a threshold was not written');
        await change.trx('threshold_version').insert({ threshold_id: row.id, version: 1, rule: JSON.stringify(rule), made_by: by });
        change.apply(() => registry.putThreshold(row.id, point.id, 1, rule));
        await this.toNode(change, point, [rule.output], by);
        change.tell(() => this.tell(row.id));
        ids.push(row.id);
      }
      return ids;
    });
    return this.find(first ?? 0);
  }

  /** An output is one point's own: a rule for many switches none. */
  private refuseAlike({ output }: ThresholdRuleBody, others: number): void {
    if (others === 0 || output === null) return;
    const message = 'A rule for several points switches nothing: arm the one with its output by itself.';
    throw new ProblemError(422, 'Cannot be used', message, [{ path: 'body.others', message }]);
  }

  /** What the alert of such a rule would say at its limit. Throws as `add` does; nothing is armed. */
  preview(pointId: number, body: ThresholdRuleBody): { title: string; text: string } {
    const { registry, engine } = this.parts;
    const point = registry.points.get(pointId);
    if (!point) throw notFound(`point ${pointId}`);
    const entry = registry.thresholdOf(0, pointId, 1, this.check(point, body, null));
    const newest = (id: number) => engine.state.newest.get(id);
    return { title: titleOf(entry), text: alertText(entry, Date.now(), body.setpoint, { registry, newest }) };
  }

  /** What is usual is learnt before it is judged by. Throws 422 where too little was read for that. */
  private async learn(point: PointEntry, { judges }: ThresholdRuleBody): Promise<void> {
    if (judges.kind !== 'usual') return;
    const habit = await this.parts.habits.learn(point);
    if (knowsAnything(habit)) return;
    const message = `What is usual cannot be said yet: ${counted(habit.weeks, 'week')} of ${point.body.label} were read, and it takes ${LEAST_WEEKS}.`;
    throw new ProblemError(422, 'Not learnt yet', message, [{ path: 'body.judges', message }]);
  }

  /** Puts another rule in force in the place of version `from`, and of `others` that are to say the same. Throws 409, with what is in force, where somebody was faster. */
  async change(
    { id, from, others }: { id: number; from: number; others: readonly { id: number; from: number }[] },
    body: ThresholdRuleBody,
    by: string,
    why = '',
  ): Promise<ThresholdEntry> {
    this.refuseAlike(body, others.length);
    await this.changeAll(
      [{ id, from }, ...others].map((one) => ({ ...one, body })),
      by,
      why,
    );
    return this.find(id);
  }

  /** Puts other rules in force, all of them or none. Throws 409 where somebody was faster at one. */
  async changeAll(wanted: readonly { id: number; from: number; body: ThresholdRuleBody }[], by: string, why = ''): Promise<void> {
    const { engine, registry } = this.parts;
    for (const { id, body } of wanted) await this.learn(this.find(id).point, body);
    const ready = wanted.map(({ id, from, body }) => {
      const { point } = this.find(id);
      return { id, from, point, rule: this.check(point, body, id) };
    });
    await engine.changeThresholds(
      ready.map(({ id }) => id),
      'threshold changed',
      async (change) => {
        for (const { id, from, point, rule } of ready) {
          this.refuseWhileTested(id);
          const before = this.find(id);
          if (before.version !== from) throw changedMeanwhile('threshold', from, before.version, engine.thresholdView(before));
          const version = before.version + 1;
          await change.trx('threshold_version').insert({ threshold_id: id, version, rule: JSON.stringify(rule), made_by: by, why });
          await change.trx('threshold').where({ id }).update({ version });
          change.apply(() => registry.putThreshold(id, point.id, version, rule));
          await this.toNode(change, point, [before.rule.output, rule.output], by);
          change.tell(() => this.tell(id));
        }
      },
    );
  }

  /** Every version of a rule, the newest first; of one that was stood down as well. Throws 404. */
  async versions(id: number): Promise<ThresholdVersion[]> {
    const rows = (await this.parts.store
      .database('threshold_version')
      .where({ threshold_id: id })
      .orderBy('version', 'desc')) as VersionRow[];
    if (rows.length === 0) throw notFound(`threshold ${id}`);
    return rows.map(({ version, rule, made_by: by, made_at: at, why }) => {
      const { side, setpoint, deadband, onDelaySeconds, offDelaySeconds, severity, judges = { kind: 'value' } } = rule;
      return { version, by, at: at.getTime(), why, side, setpoint, deadband, onDelaySeconds, offDelaySeconds, severity, judges };
    });
  }

  async retire(id: number, by: string): Promise<void> {
    const { engine, registry, hub } = this.parts;
    const before = this.find(id);
    await engine.changeThresholds([id], 'threshold retired', async (change) => {
      this.refuseWhileTested(id);
      const waits = [...registry.thresholds.values()].find(({ rule }) => rule.unless === id);
      if (waits)
        throw new ProblemError(
          409,
          'Another rule names it',
          `The rule on ${waits.point.body.label} of ${waits.point.node.title} is not judged while this one stands: change that first.`,
        );
      await change.trx('threshold').where({ id }).update({ retired_at: new Date() });
      change.apply(() => registry.dropThreshold(id));
      await this.toNode(change, before.point, [before.rule.output], by);
      change.tell(() => hub.publish([{ type: 'threshold-retired', id }]));
    });
  }

  /** A node whose own output is switched by this point is told, so that it can go on alone with the link down. */
  private async toNode(change: Change, point: PointEntry, outputs: readonly (number | null)[], by: string): Promise<void> {
    const { node } = point;
    if (outputs.some((output) => this.isOwn(point, output)))
      await this.parts.nodes.changed(change, node, `a threshold on ${point.name} was changed by ${by}`);
  }

  private isOwn(point: PointEntry, output: number | null): boolean {
    return output !== null && point.body.kind === 'measured' && this.parts.registry.points.get(output)?.node === point.node;
  }

  /** What is being proved just now is left as it is until everything is put back. Throws 409. */
  private refuseWhileTested(id: number): void {
    const test = this.parts.registry.testing(id);
    if (test)
      throw new ProblemError(409, 'Being tested', `${test.by} is testing this rule: stop the trip test first, or wait until it is over.`);
  }

  private find(id: number): ThresholdEntry {
    const entry = this.parts.registry.thresholds.get(id);
    if (!entry) throw notFound(`threshold ${id} in force`);
    return entry;
  }

  private tell(id: number): void {
    this.parts.hub.publish([{ type: 'threshold', threshold: this.parts.engine.thresholdView(this.find(id)) }]);
  }

  /** Why this rule could not take the place of another, in words; `null`: it could. */
  problemOf({ id, point }: ThresholdEntry, body: ThresholdRuleBody): string | null {
    try {
      this.check(point, body, id);
      return null;
    } catch (error) {
      if (error instanceof ProblemError) return error.detail;
      throw error;
    }
  }

  /** What suppresses a rule is another that is in force, and never, however far round, the rule itself. */
  private refuseUnless(
    point: PointEntry,
    unless: number | null,
    own: number | null,
    refuse: (path: string, message: string) => never,
  ): void {
    const { thresholds } = this.parts.registry;
    if (unless === null) return;
    if (!thresholds.has(unless)) refuse('unless', `Rule ${unless} is not in force: choose another, or none.`);
    for (let at: number | null | undefined = unless; typeof at === 'number'; at = thresholds.get(at)?.rule.unless) {
      if (at === own) refuse('unless', `That goes round in a circle: the rule on ${point.body.label} would keep itself from being judged.`);
    }
  }

  /** What follows an output is another one each, later each, and goes on as it does. */
  private refuseOrder({ output, act, then }: ThresholdRuleBody, refuse: (path: string, message: string) => never): void {
    if (then.length === 0) return;
    if (output === null) refuse('then', 'Nothing can follow where no output is switched: choose the first.');
    if (act === 'off') refuse('then', 'Only what switches on has an order: off goes at once.');
    const outputs = [output, ...then.map((step) => step.output)];
    if (new Set(outputs).size < outputs.length) refuse('then', 'Each output once: one of them comes twice.');
    for (const [i, { output: next, afterSeconds }] of then.entries()) {
      if (!this.parts.registry.points.get(next)?.body.output) refuse(`then.${i}.output`, `Point ${next} is not an output.`);
      if (afterSeconds <= (then[i - 1]?.afterSeconds ?? 0)) refuse(`then.${i}.afterSeconds`, 'Each comes later than the one before it.');
    }
  }

  /** Adds the clear level; refuses a rule that could never trip or never clear on this point, with the figure. */
  private check(point: PointEntry, body: ThresholdRuleBody, own: number | null): ThresholdEntry['rule'] {
    const clearLevel = clearLevelOf(body.side, body.setpoint, body.deadband);
    const refuse = (path: string, message: string): never => {
      throw new ProblemError(422, 'Cannot be used', message, [{ path: `body.${path}`, message }]);
    };
    const figures = figuresFault(this.parts.registry, point, body, clearLevel);
    if (figures) refuse(figures.path, figures.message);
    if (point.body.kind === 'switched' && body.output !== null) refuse('output', 'A switched point may warn, not switch.');
    if (body.output !== null && !this.parts.registry.points.get(body.output)?.body.output)
      refuse('output', `Point ${body.output} is not an output.`);
    const alone = [...this.parts.registry.thresholds.values()].filter(
      (other) => other.id !== own && other.point.node === point.node && this.isOwn(other.point, other.rule.output),
    );
    if (this.isOwn(point, body.output) && alone.length >= MOST_OWN_THRESHOLDS)
      refuse(
        'output',
        `${point.node.name} follows ${MOST_OWN_THRESHOLDS} thresholds by itself already, as many as it can hold: retire one, or switch an output of another node.`,
      );
    if (body.tells === 'journal' && body.output === null && body.consequences === undefined)
      refuse('tells', 'Only what switches an output can be left to the journal: a threshold that only warns has to warn.');
    const consequences = body.consequences ?? usualConsequences(body);
    const fault = consequencesFault(consequences, body.output);
    if (fault !== null) refuse('consequences', fault);
    if (body.expects !== null && !consequences.includes('control'))
      refuse('expects', 'Only a control is expected to move something: choose an output, or leave it out.');
    this.refuseOrder(body, refuse);
    const guards = body.output === null ? undefined : this.parts.registry.points.get(body.output)?.body.output?.guards;
    const share = proportionFault(body, guards);
    if (share) refuse(share.path, share.message);
    for (const [which, words] of Object.entries(body.words ?? {})) {
      const gone = othersNamed(words ?? '').find(({ node, point: other }) => !this.parts.registry.nodes.get(node)?.points.has(other));
      if (gone) refuse(`words.${which}`, `There is no point ${gone.point} at ${gone.node}: nothing would be filled in.`);
    }
    this.refuseUnless(point, body.unless, own, refuse);
    const unknown = body.route?.find((way) => !this.parts.ways().some(({ id }) => id === way));
    if (unknown !== undefined) refuse('route', `There is no way ${unknown}: see GET /api/v1/ways.`);
    const tells = consequences.includes('alert') ? 'alert' : 'journal';
    if (body.latching && !consequences.includes('alert'))
      refuse('latching', 'Only an alert can be latched: add one, or let it clear by itself.');
    return { ...body, consequences, tells, clearLevel, confirm: point.body.confirm };
  }
}
