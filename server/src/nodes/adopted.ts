import type { Adopted, MapEntryBody, SheetPoint } from '@dewpost/contract';
import { filterMatches, mapMessage, ownFilterFault, readPayload, type MapEntry } from '@dewpost/core/adopt';
import type { Database, Transaction } from '../database/connect';
import type { Hub } from '../events/hub';
import { laneOf } from '../model/node-change';
import { writeNodeLog, type LogLine } from '../model/node-log';
import { nodeView, pointView } from '../model/views';
import { readNodes } from '../model/read-model';
import type { NodeEntry, PointEntry } from '../model/entries';
import { judgingOf, ownBody } from '../model/own-body';
import type { Registry } from '../model/registry';
import { ProblemError } from '../problem/problem';
import type { Change, Store } from '../store/change';
import type { Vault } from '../vault/vault';
import { Ear, MOST_A_SECOND } from './adopted-ear';
import { insertPoints, makeSource, type DeclaredPoint } from './make-sources';

/** What is known of an adopted node beside its row: under which topics it may publish, and what they mean. */
interface Meaning {
  filters: string[];
  map: (MapEntry & { readonly entry: PointEntry })[];
}

const CLAIMS = 'adopted filters';

/** Nodes whose firmware stays as it is: they publish as they always did, and what it means is said here. */
export class AdoptedNodes {
  private readonly meanings = new Map<number, Meaning>();
  private readonly ears = new Map<number, Ear>();

  constructor(
    private readonly parts: {
      store: Store;
      database: Database;
      registry: Registry;
      hub: Hub;
      vault: Vault;
      /** Lines for nodes' logs that nobody waits for. */
      note(lines: readonly LogLine[]): void;
    },
  ) {}

  async load(): Promise<void> {
    const { database, registry } = this.parts;
    const nodes = [...registry.nodes.values()].filter(({ kind }) => kind === 'adopted');
    for (const node of nodes) this.meanings.set(node.id, await readMeaning(database, node));
  }

  /** Makes an adopted node with an account of its own; gives its password. */
  async adopt(wanted: { name: string; room: string }, by: string): Promise<{ id: string; account: string; password: string }> {
    const { store, registry, hub, vault } = this.parts;
    return store.commitInTurn('new nodes', async (change) => {
      const { id, key } = await makeSource(change.trx, vault, { ...wanted, points: [] }, 'adopted');
      const [node] = await readNodes(change.trx, [id]);
      if (!node) throw new Error('an adopted node was not written');
      const filters = [`${id}/#`];
      await this.claim(change, node, filters);
      const text = `adopted by ${by} as “${wanted.name}”: its firmware stays as it is; its password was given out in the reply`;
      await writeNodeLog(change.trx, [{ node, level: 'info', text }]);
      change.apply(() => {
        registry.putNodes([node]);
        this.meanings.set(node.id, { filters, map: [] });
      });
      change.tell(() => hub.publish([{ type: 'node', node: nodeView(node), points: [] }]));
      return { id, account: id, password: key };
    });
  }

  /** Sets under which filters it may publish. Throws 422 for each that cannot be its own, and why; or where its map needs another. */
  setFilters(node: NodeEntry, filters: readonly string[], by: string): Promise<void> {
    return this.parts.store.commitInTurn(CLAIMS, async (change) => {
      const wanted = [...new Set(filters)];
      const lost = this.meaningOf(node).map.find(({ topic }) => !wanted.some((filter) => filterMatches(filter, topic)));
      if (lost) throw refusal('filters', `${lost.topic} is mapped and would lie under none of them: take it out of the map first.`);
      await this.claim(change, node, wanted);
      await writeNodeLog(change.trx, [{ node, level: 'info', text: `may publish under ${wanted.join(', ')}, by ${by}` }]);
      change.apply(() => this.meanings.set(node.id, { ...this.meaningOf(node), filters: wanted }));
    });
  }

  /** Says what its messages mean. Points that do not exist yet are made. Throws 422 where an entry cannot stand. */
  setMap(node: NodeEntry, entries: readonly MapEntryBody[], by: string): Promise<PointEntry[]> {
    const { store, registry, hub } = this.parts;
    return store.commitInTurn(laneOf(node), async (change) => {
      const { filters } = this.meaningOf(node);
      this.refuseBadEntries(node, filters, entries);
      const missing = new Map(entries.filter(({ point }) => !node.points.has(point)).map((entry) => [entry.point, entry]));
      await insertPoints(change.trx, node.id, node.points.size, [...missing.values()].map(declared));
      const [read] = await readNodes(change.trx, [node.name]);
      const fresh = [...(read?.points.values() ?? [])].filter(({ name }) => !node.points.has(name)).map((point) => ({ ...point, node }));
      const points = new Map([...node.points.values(), ...fresh].map((point) => [point.name, point]));
      const map = entries.map((entry) => {
        const point = points.get(entry.point);
        if (!point) throw new Error(`point ${entry.point} was not written`);
        return { ...entry, entry: point };
      });
      const drawnAnew = await this.redraw(change, node, entries);
      await change.trx('adopted_map').where({ node_id: node.id }).delete();
      if (map.length > 0)
        await change.trx('adopted_map').insert(
          map.map(({ topic, pointer, factor, offset, texts, entry }, place) => ({
            node_id: node.id,
            place,
            topic,
            pointer,
            point_id: entry.id,
            factor,
            value_offset: offset,
            texts: JSON.stringify(texts),
          })),
        );
      await writeNodeLog(change.trx, [{ node, level: 'info', text: `${map.length} values mapped by ${by}` }]);
      change.apply(() => {
        for (const point of fresh) {
          node.points.set(point.name, point);
          registry.points.set(point.id, point);
        }
        for (const { point, body } of drawnAnew) Object.assign(point, { body, sheetLabel: body.label });
        this.meanings.set(node.id, { filters, map });
      });
      change.tell(() => hub.publish([{ type: 'node', node: nodeView(node), points: [...node.points.values()].map(pointView) }]));
      return [...points.values()];
    });
  }

  /** Points that were there already and are called, or shown, otherwise from now on. */
  private async redraw(
    change: Change,
    node: NodeEntry,
    entries: readonly MapEntryBody[],
  ): Promise<{ point: PointEntry; body: SheetPoint }[]> {
    const drawn: { point: PointEntry; body: SheetPoint }[] = [];
    for (const entry of entries) {
      const point = node.points.get(entry.point);
      if (!point || drawn.some((one) => one.point === point)) continue;
      const { label = point.body.label, min = point.body.min, max = point.body.max } = entry;
      if (label === point.body.label && min === point.body.min && max === point.body.max) continue;
      // What people have it judged by lies over what is stored here, and stays.
      const body = { ...point.body, ...point.sheetJudging, label, min, max };
      await change
        .trx('point')
        .where({ id: point.id })
        .update({ body: JSON.stringify(body), label: null });
      drawn.push({ point, body: ownBody(body, { label: null, judging: point.sheetJudging && judgingOf(point.body) }) });
    }
    return drawn;
  }

  view(node: NodeEntry): Adopted {
    const { filters, map } = this.meaningOf(node);
    return {
      id: node.name,
      account: node.name,
      filters,
      map: map.map(({ entry, topic, pointer, factor, offset, texts }) => {
        const { label, unit, min, max } = entry.body;
        return { topic, pointer, point: entry.name, label, unit, factor, offset, texts: { ...texts }, min, max };
      }),
      ...this.earOf(node).view(),
    };
  }

  /** May it publish, or listen, there? */
  mayUse(node: NodeEntry, topic: string): boolean {
    return this.meaningOf(node).filters.some((filter) => filterMatches(filter, topic));
  }

  /** A message of it: remembered for its page, and what it says of its points, or `null` where it says nothing of any. */
  hear(node: NodeEntry, topic: string, payload: Uint8Array, retained: boolean, now: number): Readonly<Record<string, number>> | null {
    const ear = this.earOf(node);
    const { read: wanted, before } = ear.count(now);
    if (before > 0)
      this.parts.note([
        { node, level: 'warning', text: `more than ${MOST_A_SECOND} messages a second: ${before} of a minute were passed over` },
      ]);
    if (!wanted) return null;
    const read = readPayload(payload);
    ear.remember(topic, read, retained, now);
    const entries = this.meaningOf(node).map.filter((entry) => entry.topic === topic);
    if (entries.length === 0) return null;
    const { values, refusals } = mapMessage(entries, read);
    if (refusals.length > 0)
      this.parts.note(refusals.map(({ point, why }): LogLine => ({ node, level: 'refused', text: `${topic}: ${point}: ${why}` })));
    return Object.keys(values).length > 0 ? values : null;
  }

  forget(node: NodeEntry): void {
    this.meanings.delete(node.id);
    this.ears.delete(node.id);
  }

  private async claim(change: Change, node: NodeEntry, filters: readonly string[]): Promise<void> {
    const rows = (await change
      .trx('adopted_filter as f')
      .join('node as n', 'n.id', 'f.node_id')
      .whereNot('n.id', node.id)
      .select('n.name as account', 'f.filter')) as { account: string; filter: string }[];
    filters.forEach((filter, i) => {
      const fault = ownFilterFault(filter, rows);
      if (fault !== null) throw refusal(`filters.${i}`, `${filter}: ${fault}.`);
    });
    await change.trx('adopted_filter').where({ node_id: node.id }).delete();
    await change.trx('adopted_filter').insert(filters.map((filter) => ({ node_id: node.id, filter })));
  }

  private refuseBadEntries(node: NodeEntry, filters: readonly string[], entries: readonly MapEntryBody[]): void {
    const units = new Map([...node.points.values()].map((point) => [point.name, point.body.unit]));
    entries.forEach((entry, i) => {
      if (!filters.some((filter) => filterMatches(filter, entry.topic)))
        throw refusal(`${i}.topic`, `${entry.topic} lies under none of its filters (${filters.join(', ')}): name its filter first.`);
      const unit = units.get(entry.point);
      if (unit !== undefined && unit !== entry.unit)
        throw refusal(
          `${i}.unit`,
          `${entry.point} is told in ${unit || 'no unit'}: keep that unit, or give this value a point of another name.`,
        );
      units.set(entry.point, entry.unit);
      if ((entry.min ?? 0) >= (entry.max ?? (entry.min ?? 0) + 100)) throw refusal(`${i}.max`, 'The strip ends above where it begins.');
    });
    const twice = entries.find((entry, i) =>
      entries.some((other, j) => j < i && other.topic === entry.topic && other.pointer === entry.pointer && other.point === entry.point),
    );
    if (twice) throw refusal('map', `${twice.topic}${twice.pointer ?? ''} is mapped to ${twice.point} twice.`);
  }

  private meaningOf(node: NodeEntry): Meaning {
    return this.meanings.get(node.id) ?? { filters: [], map: [] };
  }

  private earOf(node: NodeEntry): Ear {
    const known = this.ears.get(node.id) ?? new Ear();
    this.ears.set(node.id, known);
    return known;
  }
}

const refusal = (path: string, message: string): ProblemError =>
  new ProblemError(422, 'Cannot be used', message, [{ path: `body.${path}`, message }]);

/** A mapped value as a source's point is declared. */
const declared = ({ point, label, unit, min, max, texts }: MapEntryBody): DeclaredPoint => {
  const numbers = Object.values(texts);
  const states = numbers.length > 0 && min === undefined && max === undefined;
  const from = min ?? (states ? Math.min(0, ...numbers) : 0);
  const to = max ?? (states ? Math.max(from + 1, ...numbers) : from + 100);
  return { name: point, label: label ?? point, unit, min: from, max: to, confirm: numbers.length > 0 ? 'hold' : 'readings' };
};

async function readMeaning(database: Database | Transaction, node: NodeEntry): Promise<Meaning> {
  const filters = (await database('adopted_filter').where({ node_id: node.id }).orderBy('filter').select('filter')) as { filter: string }[];
  const rows = (await database('adopted_map').where({ node_id: node.id }).orderBy('place')) as {
    topic: string;
    pointer: string | null;
    point_id: number;
    factor: number;
    value_offset: number;
    texts: Record<string, number>;
  }[];
  const points = new Map([...node.points.values()].map((point) => [point.id, point]));
  return {
    filters: filters.map(({ filter }) => filter),
    map: rows.flatMap(({ topic, pointer, point_id, factor, value_offset: offset, texts }) => {
      const entry = points.get(point_id);
      return entry ? [{ topic, pointer, point: entry.name, factor, offset, texts, entry }] : [];
    }),
  };
}
