import type { BuildSheet, BuildSheetBody, plan } from '@dewpost/contract';
import { buildSheetBodySchema } from '@dewpost/contract';
import { cautionsOf, checkSheet, pointsOfSheet, wiringOf, type Assignment, type Catalogue, type SheetDraft } from '@dewpost/core/circuit';
import { slug } from '@dewpost/core/naming';
import type * as z from 'zod';
import type { Database } from '../database/connect';
import { changedMeanwhile, notFound, ProblemError } from '../problem/problem';
import { currentSheets } from '../nodes/make-nodes';

/** Build sheets in force with how many nodes stand on them, and how many of those on an older version. */
export async function sheetViews(database: Database, catalogue: Catalogue): Promise<BuildSheet[]> {
  const counts = (await database('node as n')
    .join('build_sheet as s', 's.id', 'n.build_sheet_id')
    .whereNull('n.retired_at')
    .groupBy('s.slug', 's.version')
    .select('s.slug', 's.version')
    .count('* as nodes')) as unknown as {
    slug: string;
    version: number;
    nodes: number;
  }[];
  return (await currentSheets(database)).map(({ slug, name, version, body }) => {
    const own = counts.filter((count) => count.slug === slug);
    const sum = (list: typeof own): number => list.reduce((total, count) => total + Number(count.nodes), 0);
    return {
      slug,
      name,
      version,
      nodes: sum(own),
      behind: sum(own.filter((count) => count.version < version)),
      body: asWiredNow(buildSheetBodySchema.parse(body), catalogue),
    };
  });
}

/**
 * A stored sheet with its wiring, checks and cautions as they are worked out today: what a page tells somebody to wire must not be
 * what an older, mistaken version worked out. Its points stay those that its nodes have.
 */
function asWiredNow(body: BuildSheetBody, catalogue: Catalogue): BuildSheetBody {
  if (!body.draft || !catalogue.boards.has(body.draft.board) || !catalogue.supplies.has(body.draft.supply)) return body;
  const { wiring, checks, cautions } = bodyOf(body.draft, catalogue);
  return { ...body, wiring, checks, cautions };
}

/** Every version of a sheet, newest first, with the nodes that run it. Throws 404 for a sheet that is not there. */
export async function sheetVersions(database: Database, slug: string): Promise<z.input<typeof plan.sheetVersions.reply>> {
  const rows = (await database('build_sheet').where({ slug }).orderBy('version', 'desc').select('id', 'version', 'created_at', 'body')) as {
    id: number;
    version: number;
    created_at: Date;
    body: unknown;
  }[];
  if (rows.length === 0) throw notFound(`build sheet ${slug.slice(0, 60)}`);
  const nodes = (await database('node')
    .whereIn(
      'build_sheet_id',
      rows.map((row) => row.id),
    )
    .orderBy('name')
    .select('name', 'build_sheet_id')) as { name: string; build_sheet_id: number }[];
  return rows.map((row) => ({
    version: row.version,
    madeAt: row.created_at.getTime(),
    draft: buildSheetBodySchema.parse(row.body).draft,
    nodes: nodes.filter((node) => node.build_sheet_id === row.id).map((node) => node.name),
  }));
}

/** What a draft comes to: everything that follows from it, with how its checks stand. */
export function bodyOf(draft: SheetDraft, catalogue: Catalogue): BuildSheetBody {
  const { checks, assignment } = checkSheet(draft, catalogue);
  const board = catalogue.boards.get(draft.board);
  const supply = catalogue.supplies.get(draft.supply);
  if (!board || !supply)
    throw new ProblemError(
      422,
      'Cannot be used',
      `The catalogue has no ${board ? draft.supply : draft.board}: choose another, or import its profile.`,
    );
  return buildSheetBodySchema.parse({
    board: board.name,
    supply: supply.name,
    parts: draft.parts.map((place) => ({
      part: catalogue.parts.get(place.part)?.name ?? place.part,
      what: place.load ? `switches ${place.load.name}` : place.ref,
    })),
    wiring: assignment ? wiringOf(draft, board, catalogue, assignment) : [],
    reportSeconds: draft.reportSeconds,
    points: pointsOfSheet(draft, catalogue),
    cautions: cautionsOf(draft, catalogue),
    draft: assignment ? { ...draft, given: givenOf(assignment) } : draft,
    checks: {
      fails: checks.filter((check) => check.verdict === 'fail').length,
      warns: checks.filter((check) => check.verdict === 'warn').length,
    },
  } satisfies Record<keyof BuildSheetBody, unknown>);
}

/** The pins and addresses of an assignment, as the next version of its sheet keeps them. */
const givenOf = ({ pins, addresses }: Assignment): Record<string, string> => ({
  ...Object.fromEntries(pins),
  ...Object.fromEntries([...addresses].map(([ref, address]) => [`${ref}.address`, String(address)])),
});

/**
 * Saves a draft as the next version of the sheet it was drawn on, or under another name as a new one; every version is kept. Gives its slug.
 * Throws 409 where somebody has saved since, with what is in force, and where the name is another sheet's.
 */
export async function saveSheet(
  database: Database,
  catalogue: Catalogue,
  { name, draft, base }: { name: string; draft: SheetDraft; base: { slug: string; version: number } | null },
): Promise<string> {
  const twice = draft.parts.find((part, i) => draft.parts.findIndex((other) => other.ref === part.ref) !== i);
  if (twice) throw new ProblemError(422, 'Cannot be used', `Two parts are called ${twice.ref}: each needs a name of its own.`);
  const short = slug(name).slice(0, 60).replace(/-+$/, '');
  if (short === '') throw new ProblemError(422, 'Cannot be used', 'The name needs a letter or a digit.');
  const body = bodyOf(draft, catalogue);
  const names = body.points.map((point) => point.name);
  const same = names.find((one, i) => names.indexOf(one) !== i);
  if (same) throw new ProblemError(422, 'Cannot be used', `Two points are called ${same}: rename one of them.`);
  await database.transaction(async (trx) => {
    await trx.raw('select pg_advisory_xact_lock(hashtext(?))', [`sheet ${short}`]);
    const [before] = (await trx('build_sheet').where({ slug: short }).orderBy('version', 'desc').limit(1)) as {
      name: string;
      version: number;
      retired_at: Date | null;
    }[];
    const newest = before?.version ?? 0;
    // The name of one that was taken away is free again; its versions go on.
    const taken = before?.retired_at === null;
    if (taken && base?.slug !== short)
      throw new ProblemError(
        409,
        'Name taken',
        `There is a sheet named ${before.name} already, and ${name} reads like it: choose another name, or draw on that sheet.`,
      );
    if (taken && base && base.version !== newest)
      throw changedMeanwhile(
        'sheet',
        base.version,
        newest,
        (await sheetViews(database, catalogue)).find((sheet) => sheet.slug === short) ?? null,
      );
    await trx('build_sheet').insert({ slug: short, version: newest + 1, name, body: JSON.stringify(body) });
  });
  return short;
}

/**
 * Takes a sheet away: no node can be made from it any more. Its versions stay for nodes that were retired. Throws 404 where there is none, 409
 * with their names where nodes stand on it.
 */
export async function retireSheet(database: Database, slug: string): Promise<void> {
  await database.transaction(async (trx) => {
    await trx.raw('select pg_advisory_xact_lock(hashtext(?))', [`sheet ${slug}`]);
    // Whoever is making a node from it has the row, or waits for us.
    const versions = (await trx('build_sheet').where({ slug }).whereNull('retired_at').forUpdate().select('id')) as { id: number }[];
    if (versions.length === 0) throw notFound(`build sheet ${slug.slice(0, 60)}`);
    const ids = versions.map(({ id }) => id);
    const nodes = (await trx('node').whereIn('build_sheet_id', ids).whereNull('retired_at').orderBy('name').pluck('name')) as string[];
    if (nodes.length > 0)
      throw new ProblemError(
        409,
        'In use',
        `${nodes.slice(0, 5).join(', ')}${nodes.length > 5 ? ` and ${nodes.length - 5} more` : ''} stand${nodes.length === 1 ? 's' : ''} on it: retire ${nodes.length === 1 ? 'it' : 'them'} first.`,
      );
    await trx('build_sheet').whereIn('id', ids).update({ retired_at: new Date() });
  });
}
