import type { computed, Computed } from '@dewpost/contract';
import { scaleOf } from '@dewpost/core/calibration';
import { formulaNamed, inputsProblem, pairsProblem, shownOver, type Formula } from '@dewpost/core/derive';
import { slug } from '@dewpost/core/naming';
import type * as z from 'zod';
import type { Database, Transaction } from '../database/connect';
import type { Hub } from '../events/hub';
import { pointNamed } from '../model/lookup';
import { writeNodeLog } from '../model/node-log';
import { nodeView, pointView } from '../model/views';
import { readNodes } from '../model/read-model';
import type { NodeEntry, PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { insertPoints, makeSource } from '../nodes/make-sources';
import { changedMeanwhile, notFound, ProblemError } from '../problem/problem';
import type { Change, Store } from '../store/change';
import type { Vault } from '../vault/vault';
import type { Deriver } from './deriver';
import { readComputed, viewOf, type ComputedEntry } from './entries';

type Rule = Omit<z.output<typeof computed.add.body>, 'label' | 'room'>;
const LANE = 'computed points';
/** From where a point that is new is computed: before anything that can be stored. */
const BEGINNING = new Date(0);
const MOST_NAME = 24;

/** Points that people have computed from others. */
export class ComputedPoints {
  private readonly entries = new Map<number, ComputedEntry>();

  constructor(private readonly parts: { store: Store; database: Database; registry: Registry; hub: Hub; vault: Vault; deriver: Deriver }) {}

  async load(): Promise<void> {
    for (const entry of await readComputed(this.parts.database, this.parts.registry)) this.take(entry);
  }

  list(): Computed[] {
    return [...this.entries.values()].map(viewOf);
  }

  /** A node is retired: what was computed at it is no more, and what was computed from it stands still. */
  async forget(node: NodeEntry): Promise<void> {
    const { database, registry, deriver } = this.parts;
    for (const entry of [...this.entries.values()]) {
      if (entry.point.node === node) {
        this.entries.delete(entry.point.id);
        deriver.drop(entry);
      } else if (entry.inputs.some((input) => input.node === node)) {
        const [fresh] = await readComputed(database, registry, entry.point.id);
        if (fresh) this.take(fresh);
      }
    }
  }

  /** Readings of these points have changed from a time on (ms) past intake: what is computed from them is computed anew. */
  async changedFrom(points: readonly { readonly id: number }[], from: number): Promise<void> {
    const ids = new Set(points.map(({ id }) => id));
    const owed = [...this.entries.values()].filter(({ inputs }) => inputs.some(({ id }) => ids.has(id)));
    for (const entry of owed) {
      const begin = Math.min(entry.anewFrom ?? Infinity, from);
      await this.parts
        .database('computed')
        .where({ point_id: entry.point.id })
        .update({ anew_from: new Date(begin) });
      entry.anewFrom = begin;
      this.parts.deriver.owes();
    }
  }

  /** Makes a computed point in a room, at the node that is there for them. Throws 422, in words, for what cannot be computed. */
  async add({ label, room, ...rule }: z.output<typeof computed.add.body>, by: string): Promise<Computed> {
    const { store, registry, hub } = this.parts;
    const { inputs, formula } = this.judged(rule, null);
    const entry = await store.commitInTurn(LANE, async (change) => {
      const node = await this.nodeIn(change, room);
      const name = freeName(label, node);
      const unit = formula.unit(unitOf(inputs[0]));
      const [min, max] = shownOver(
        formula,
        inputs.map(({ body }) => [body.min, body.max]),
      );
      await insertPoints(change.trx, node.id, node.points.size, [{ name, label, unit, min, max }]);
      const { id } = (await change.trx('point').where({ node_id: node.id, name }).first('id')) as { id: number };
      await change.trx('computed').insert({ point_id: id, version: 1, anew_from: BEGINNING });
      await writeVersion(change.trx, id, 1, rule, inputs, by);
      await writeNodeLog(change.trx, [{ node, level: 'info', text: `${name}: ${formula.title} of ${namesOf(inputs)}, by ${by}` }]);
      const [read] = await readNodes(change.trx, [node.name]);
      const point = read?.points.get(name);
      if (!point) throw new Error('a computed point was not written');
      const own = { ...point, node };
      change.apply(() => {
        registry.putNodes([node]);
        node.points.set(name, own);
        registry.points.set(id, own);
      });
      change.tell(() => hub.publish([{ type: 'node', node: nodeView(node), points: [...node.points.values()].map(pointView) }]));
      return id;
    });
    return this.reread(entry);
  }

  /** Computes it otherwise from now on, and all that is stored anew. Throws 409 where somebody else has changed it since. */
  async change(id: number, { from, ...rule }: Rule & { from: number }, by: string): Promise<Computed> {
    const entry = this.entryOf(id);
    const { inputs, formula } = this.judged(rule, entry.point);
    const wasUnit = entry.point.body.unit;
    const unit = formula.unit(unitOf(inputs[0]));
    if (unit !== wasUnit)
      throw new ProblemError(
        422,
        'Another unit',
        `${entry.point.body.label} is in ${wasUnit || 'no unit'}, and this would be in ${unit || 'no unit'}: its rules and its record speak of the first. Make another point for it.`,
      );
    await this.parts.store.commitInTurn(LANE, async ({ trx }) => {
      const row = (await trx('computed').where({ point_id: id }).forUpdate().first('version')) as { version: number } | undefined;
      if (!row) throw notFound(`computed point ${id}`);
      if (row.version !== from) throw changedMeanwhile('computed point', from, row.version, viewOf(this.entryOf(id)));
      await writeVersion(trx, id, from + 1, rule, inputs, by);
      await trx('computed')
        .where({ point_id: id })
        .update({ version: from + 1, anew_from: BEGINNING });
      const text = `${entry.point.name}, version ${from + 1}: ${formula.title} of ${namesOf(inputs)}, by ${by}; what is stored is computed anew`;
      await writeNodeLog(trx, [{ node: entry.point.node, level: 'info', text }]);
    });
    return this.reread(id);
  }

  /** Takes a computed point away with all that was computed. Throws 409 while something hangs on it. */
  async remove(id: number, by: string): Promise<void> {
    const { store, registry, hub, deriver } = this.parts;
    const { point } = this.entryOf(id);
    const rules = registry.thresholdsWith(id);
    if (rules.length > 0)
      throw new ProblemError(
        409,
        'Rules stand on it',
        `${point.body.label} has ${rules.length === 1 ? 'a rule' : `${rules.length} rules`}: retire ${rules.length === 1 ? 'it' : 'them'} first.`,
      );
    const above = [...this.entries.values()].find(({ inputs }) => inputs.includes(point));
    if (above) throw new ProblemError(409, 'Computed from it', `${above.point.body.label} is computed from it: take that away first.`);
    await store.commitInTurn(LANE, async (change) => {
      for (const table of ['reading', 'rollup', 'rollup_due', 'reader_point']) await change.trx(table).where({ point_id: id }).delete();
      // Inputs of its versions hold on to points; the point takes its versions along.
      await change.trx('point').where({ id }).delete();
      await writeNodeLog(change.trx, [{ node: point.node, level: 'warning', text: `${point.name} taken away by ${by}` }]);
      change.apply(() => {
        const entry = this.entries.get(id);
        if (entry) deriver.drop(entry);
        this.entries.delete(id);
        registry.points.delete(id);
        point.node.points.delete(point.name);
      });
      change.tell(() =>
        hub.publish([{ type: 'node', node: nodeView(point.node), points: [...point.node.points.values()].map(pointView) }]),
      );
    });
  }

  private take(entry: ComputedEntry): void {
    const before = this.entries.get(entry.point.id);
    if (before) this.parts.deriver.drop(before);
    this.entries.set(entry.point.id, entry);
    this.parts.registry.putInputs(entry.point, entry.inputs, entry.inputs.length < entry.inputIds.length);
    this.parts.deriver.put(entry);
  }
  private async reread(id: number): Promise<Computed> {
    const [entry] = await readComputed(this.parts.database, this.parts.registry, id);
    if (!entry) throw notFound(`computed point ${id}`);
    this.take(entry);
    const { node } = entry.point;
    // How often it is told follows from what it is computed from.
    this.parts.hub.publish([{ type: 'node', node: nodeView(node), points: [...node.points.values()].map(pointView) }]);
    return viewOf(entry);
  }
  private entryOf(id: number): ComputedEntry {
    const entry = this.entries.get(id);
    if (!entry) throw notFound(`computed point ${id}`);
    return entry;
  }

  /** The formula and the inputs of a rule. Throws 422 where they do not fit, or it would be computed from itself. */
  private judged(rule: Rule, self: PointEntry | null): { formula: Formula; inputs: PointEntry[] } {
    const refuse = (field: string, words: string): never => {
      throw new ProblemError(422, 'Cannot be used', words, [{ path: `body.${field}`, message: words }]);
    };
    const formula = formulaNamed(rule.formula) ?? refuse('formula', `There is no formula ${rule.formula}.`);
    const inputs = rule.inputs.map((one) => pointNamed(this.parts.registry, one));
    const problem = inputsProblem(
      formula,
      inputs.map((input) => unitOf(input)),
    );
    if (problem !== null) refuse('inputs', problem);
    const table = pairsProblem(formula, rule.pairs);
    if (table !== null) refuse('pairs', table);
    for (const [name, value] of Object.entries(rule.parameters)) {
      const known = formula.parameters.find((one) => one.name === name);
      if (!known) refuse('parameters', `${formula.title} has no figure ${name}.`);
      else if (value < known.min || value > known.max)
        refuse('parameters', `${known.label}: from ${known.min} to ${known.max} ${known.unit}.`.trim());
    }
    if (self !== null && inputs.some((input) => this.restsOn(input, self)))
      refuse('inputs', 'It would be computed from itself, over others: choose points that do not come from it.');
    return { formula, inputs };
  }

  /** Is a point another, or computed from it? */
  private restsOn(point: PointEntry, other: PointEntry): boolean {
    if (point === other) return true;
    return (this.entries.get(point.id)?.inputs ?? []).some((input) => this.restsOn(input, other));
  }

  /** The node of a room's computed points; made where there is none yet. */
  private async nodeIn(change: Change, room: string): Promise<NodeEntry> {
    const { registry, vault } = this.parts;
    const known = [...registry.nodes.values()].find((node) => node.kind === 'computed' && node.room.toLowerCase() === room.toLowerCase());
    if (known) return known;
    const { id } = await makeSource(change.trx, vault, { name: `Computed, ${room}`, room, points: [] }, 'computed');
    // Nobody ever comes with its key.
    await change.trx('node').where({ name: id }).update({ key_sealed: null });
    const [node] = await readNodes(change.trx, [id]);
    if (!node) throw new Error('a node for computed points was not written');
    return node;
  }
}

const unitOf = (point: PointEntry | undefined): string => (point ? scaleOf(point.body, point.calibrations).unit : '');
const namesOf = (inputs: readonly PointEntry[]): string => inputs.map(({ node, name }) => `${node.name}/${name}`).join(', ');

/** A name that the node has not, from the words of its label. */
function freeName(label: string, node: NodeEntry): string {
  const stem = slug(label).slice(0, MOST_NAME).replace(/-+$/, '') || 'computed';
  for (let n = 1; ; n++) {
    const name = n === 1 ? stem : `${stem}-${n}`;
    if (!node.points.has(name)) return name;
  }
}

async function writeVersion(
  trx: Transaction,
  id: number,
  version: number,
  rule: Rule,
  inputs: readonly PointEntry[],
  by: string,
): Promise<void> {
  await trx('computed_version').insert({
    point_id: id,
    version,
    formula: rule.formula,
    parameters: JSON.stringify(rule.parameters),
    pairs: JSON.stringify(rule.pairs),
    tolerance_seconds: rule.toleranceSeconds,
    made_by: by,
  });
  await trx('computed_input').insert(inputs.map((input, place) => ({ point_id: id, version, place, input_id: input.id })));
}
