import { buildSheetBodySchema, type AssemblyReply } from '@dewpost/contract';
import type { Database } from '../database/connect';
import type { NodeEntry } from './entries';

/** The sheet that a node was made from, in its own version, and what is ticked off of its assembly. */
export async function assemblyOf(database: Database, node: NodeEntry): Promise<AssemblyReply> {
  const sheet = (await database('build_sheet as s')
    .join('node as n', 'n.build_sheet_id', 's.id')
    .where('n.id', node.id)
    .first('s.name', 's.version', 's.body')) as { name: string; version: number; body: unknown };
  const ticks = (await database('assembly_tick').where({ node_id: node.id }).orderBy('at').select('step', 'by_whom', 'at')) as {
    step: string;
    by_whom: string;
    at: Date;
  }[];
  return {
    sheet: sheet.name,
    version: sheet.version,
    draft: buildSheetBodySchema.parse(sheet.body).draft,
    ticks: ticks.map((tick) => ({ step: tick.step, by: tick.by_whom, at: tick.at.getTime() })),
  };
}

/** Ticks a step off, once: who ticked first stays. Or takes the tick back. */
export async function setTick(database: Database, node: NodeEntry, step: string, done: boolean, by: string): Promise<void> {
  if (done) await database('assembly_tick').insert({ node_id: node.id, step, by_whom: by }).onConflict(['node_id', 'step']).ignore();
  else await database('assembly_tick').where({ node_id: node.id, step }).delete();
}
