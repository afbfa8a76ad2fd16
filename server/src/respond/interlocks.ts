import type { Interlock } from '@dewpost/contract';
import type { Database } from '../database/connect';
import type { Engine } from '../engine/engine';
import type { Hub } from '../events/hub';
import type { PointEntry } from '../model/entries';
import { writeNodeLog } from '../model/node-log';
import type { Registry } from '../model/registry';
import type { Nodes } from '../nodes/nodes';
import { notFound, ProblemError } from '../problem/problem';
import type { Change } from '../store/change';

interface Parts {
  database: Database;
  registry: Registry;
  engine: Engine;
  nodes: Nodes;
  hub: Hub;
}
interface Row {
  id: number;
  winner_id: number;
  loser_id: number;
  made_by: string;
}

/** Puts what the database has of interlocks onto the outputs; those of outputs that are gone say nothing. */
export async function loadInterlocks(database: Database, registry: Registry): Promise<void> {
  for (const { winner_id: winner, loser_id: loser } of (await database('interlock').orderBy('id')) as Row[])
    link(registry.points.get(winner), registry.points.get(loser));
}

function link(winner: PointEntry | undefined, loser: PointEntry | undefined): void {
  if (!winner || !loser) return;
  loser.winners = [...loser.winners, winner];
  winner.losers = [...winner.losers, loser];
}
function unlink(winner: PointEntry, loser: PointEntry): void {
  loser.winners = loser.winners.filter((other) => other !== winner);
  winner.losers = winner.losers.filter((other) => other !== loser);
}

/** Outputs that never run together: while the one is wanted the other is off, and the one waits until it reads off. */
export class Interlocks {
  constructor(private readonly parts: Parts) {}

  async list(): Promise<Interlock[]> {
    const rows = (await this.parts.database('interlock').orderBy('id')) as Row[];
    return rows.map(({ id, winner_id: winner, loser_id: loser, made_by: by }) => ({ id, winner, loser, by }));
  }

  /** Throws 404 where one is no output, 422 where it would go round, 409 where they are interlocked already. */
  async add(winnerId: number, loserId: number, by: string): Promise<Interlock[]> {
    const { engine } = this.parts;
    const [winner, loser] = [this.output(winnerId), this.output(loserId)];
    await this.change(
      winner,
      loser,
      `${winner.body.label} wins over ${loser.body.label} of ${loser.node.title}, by ${by}`,
      async (change) => {
        this.refuse(winner, loser);
        await change.trx('interlock').insert({ winner_id: winner.id, loser_id: loser.id, made_by: by });
        change.apply(() => link(winner, loser));
      },
    );
    // Whoever runs against it is off by the next look, at the latest.
    await engine.apply([]);
    return this.list();
  }

  async remove(id: number, by: string): Promise<Interlock[]> {
    const row = (await this.parts.database('interlock').where({ id }).first()) as Row | undefined;
    const [winner, loser] = [this.parts.registry.points.get(row?.winner_id ?? 0), this.parts.registry.points.get(row?.loser_id ?? 0)];
    if (!row || !winner || !loser) throw notFound(`interlock ${id}`);
    await this.change(winner, loser, `interlock of ${winner.body.label} and ${loser.body.label} taken off by ${by}`, async (change) => {
      await change.trx('interlock').where({ id }).delete();
      change.apply(() => unlink(winner, loser));
    });
    return this.list();
  }

  private output(id: number): PointEntry {
    const output = this.parts.registry.points.get(id);
    if (!output?.body.output) throw notFound(`output ${id}`);
    return output;
  }

  private refuse(winner: PointEntry, loser: PointEntry): void {
    if (winner === loser) throw new ProblemError(422, 'Cannot be interlocked', 'An output is not interlocked with itself: choose another.');
    if (loser.winners.includes(winner)) throw new ProblemError(409, 'Interlocked already', 'These two are interlocked so already.');
    const above = (output: PointEntry): boolean => output === loser || output.winners.some(above);
    if (above(winner))
      throw new ProblemError(
        422,
        'Cannot be interlocked',
        `That goes round in a circle: ${loser.body.label} wins over ${winner.body.label} already, at first or at second hand.`,
      );
  }

  /** With both nodes: one that follows rules of its own knows no interlocks, and is told whether it still may. */
  private async change(winner: PointEntry, loser: PointEntry, words: string, write: (change: Change) => Promise<void>): Promise<void> {
    const { engine, registry, nodes, hub } = this.parts;
    await engine.work(async () => {
      const draft = await engine.draft();
      await engine.transact(draft, engine.now(), async (change) => {
        await write(change);
        for (const node of new Set([winner.node, loser.node])) {
          const outputs = [winner, loser].filter((output) => output.node === node);
          const followed = outputs.some(({ id }) => registry.thresholdsSwitching(id).some(({ point }) => point.node === node));
          if (followed) await nodes.changed(change, node, words);
          else await writeNodeLog(change.trx, [{ node, level: 'info', text: words }]);
        }
        change.tell(() => hub.publish([winner, loser].map((output) => ({ type: 'relay', relay: engine.relayView(output, engine.now()) }))));
        return { value: undefined, effects: [] };
      });
    });
  }
}
