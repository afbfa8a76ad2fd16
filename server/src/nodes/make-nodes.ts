import type { BuildSheetBody } from '@dewpost/contract';
import { clearLevelOf } from '@dewpost/core/alarm';
import { roomSlug, slug } from '@dewpost/core/naming';
import { digestOf, randomToken, type Vault } from '../vault/vault';
import type { Database, Transaction } from '../database/connect';
import { ProblemError } from '../problem/problem';

interface SheetRow {
  id: number;
  slug: string;
  name: string;
  version: number;
  body: BuildSheetBody;
}

/** Build sheets in force, newest version of each; those that were taken away are left out. */
export async function currentSheets(database: Database | Transaction): Promise<SheetRow[]> {
  return (await database('build_sheet')
    .whereNull('retired_at')
    .distinctOn('slug')
    .orderBy(['slug', { column: 'version', order: 'desc' }])) as SheetRow[];
}

async function findSheet(trx: Transaction, wanted: string): Promise<SheetRow> {
  const sheets = await currentSheets(trx);
  const found = sheets.find((sheet) => sheet.slug === wanted || sheet.name.toLowerCase() === wanted.toLowerCase());
  if (!found)
    throw new ProblemError(
      422,
      'Cannot be used',
      `There is no build sheet ${wanted.slice(0, 80)}: there is ${sheets.map((s) => s.slug).join(', ') || 'none yet'}.`,
    );
  return found;
}

/** The room of this name, or whose slug its words are; made when there is none. Two names without Latin letters are two rooms. */
export async function ensureRoom(trx: Transaction, wanted: string): Promise<number> {
  const rooms = (await trx('room').select('id', 'slug', 'name')) as { id: number; slug: string; name: string }[];
  const words = slug(wanted);
  const same = (name: string): boolean => name.trim().toLocaleLowerCase() === wanted.trim().toLocaleLowerCase();
  const found = rooms.find((room) => same(room.name)) ?? rooms.find((room) => words !== '' && slug(room.name) === words);
  if (found) return found.id;
  const [row] = (await trx('room')
    .insert({ slug: roomSlug(wanted, new Set(rooms.map((room) => room.slug))), name: wanted })
    .returning('id')) as { id: number }[];
  if (!row) throw new Error('a room was not written');
  return row.id;
}

/**
 * Makes nodes from a build sheet, with points and one random key each, all or none. Gives the keys by name. Throws 409 for a
 * name that is taken.
 */
export async function makeNodes(
  trx: Transaction,
  vault: Vault,
  wanted: { ids: readonly string[]; room: string; buildSheet: string },
): Promise<Map<string, string>> {
  const twice = wanted.ids.find((id, i) => wanted.ids.indexOf(id) !== i);
  if (twice) throw new ProblemError(422, 'Cannot be used', `${twice} is named twice: every node needs a name of its own.`);
  const taken = (await trx('node').whereIn('name', wanted.ids).select('name')) as { name: string }[];
  if (taken.length > 0) {
    throw new ProblemError(
      409,
      'Name taken',
      `There is a node named ${taken.map((row) => row.name).join(', ')} already: choose another name.`,
    );
  }
  const sheet = await findSheet(trx, wanted.buildSheet);
  const { fails = 0 } = sheet.body.checks ?? {};
  if (fails > 0) {
    throw new ProblemError(
      422,
      'Sheet fails',
      `${sheet.name}, version ${sheet.version}, fails ${fails} of its checks: mend them under Plan before nodes are made from it.`,
    );
  }
  const room = await ensureRoom(trx, wanted.room);
  const keys = new Map(wanted.ids.map((id) => [id, randomToken()]));
  const rows = (await trx('node')
    .insert(
      [...keys].map(([name, key]) => ({
        name,
        room_id: room,
        build_sheet_id: sheet.id,
        key_digest: digestOf(key),
        key_sealed: vault.seal(key),
        report_seconds: sheet.body.reportSeconds,
      })),
    )
    .returning(['id', 'name'])) as { id: number }[];
  const points = (await trx('point')
    .insert(
      rows.flatMap((node) =>
        sheet.body.points.map((point, place) => ({ node_id: node.id, place, name: point.name, body: JSON.stringify(point) })),
      ),
    )
    .returning(['id', 'name'])) as { id: number; name: string }[];
  await bearThresholds(trx, sheet, points);
  return keys;
}

/** The thresholds that a sheet's points are born with. They warn and switch nothing: an output is a person's choice. */
async function bearThresholds(trx: Transaction, sheet: SheetRow, points: readonly { id: number; name: string }[]): Promise<void> {
  const wanted = points.flatMap(({ id, name }) => {
    const point = sheet.body.points.find((one) => one.name === name);
    return (point?.thresholds ?? []).map((rule) => ({ point: id, rule, confirm: point?.confirm ?? 'readings' }));
  });
  if (wanted.length === 0) return;
  const rows = (await trx('threshold')
    .insert(wanted.map(({ point }) => ({ point_id: point, version: 1 })))
    .returning('id')) as { id: number }[];
  await trx('threshold_version').insert(
    rows.map(({ id }, i) => {
      const { rule, confirm } = wanted[i] as (typeof wanted)[number];
      const stored = {
        ...rule,
        confirm,
        tells: 'alert',
        output: null,
        consequences: ['alert'],
        act: 'on',
        words: null,
        route: null,
        clearLevel: clearLevelOf(rule.side, rule.setpoint, rule.deadband),
      };
      return { threshold_id: id, version: 1, rule: JSON.stringify(stored), made_by: `build sheet ${sheet.name}` };
    }),
  );
}
