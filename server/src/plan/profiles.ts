import type { plan } from '@dewpost/contract';
import { catalogueOf, profileSchema, type Catalogue, type Profile } from '@dewpost/core/circuit';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type * as z from 'zod';
import type { Database, Transaction } from '../database/connect';
import { changedMeanwhile, notFound } from '../problem/problem';

/** Reads the profiles that ship, one JSON file each. Throws what is wrong, with file, path and what is expected there. */
export function readProfiles(directory: string): Profile[] {
  return readdirSync(directory, { recursive: true, encoding: 'utf8' })
    .filter((file) => file.endsWith('.json'))
    .sort()
    .map((file) => {
      const parsed = profileSchema.safeParse(JSON.parse(readFileSync(join(directory, file), 'utf8')));
      if (parsed.success) return parsed.data;
      const lines = parsed.error.issues.map((issue) => `  ${issue.path.join('.')}: ${issue.message}`);
      throw new Error(`${join(directory, file)} is no profile:\n${lines.join('\n')}`);
    });
}

/** The catalogue: what ships, and over it what people added. */
export class Profiles {
  constructor(
    private readonly database: Database,
    private readonly shipped: readonly Profile[],
  ) {}

  /** `database`: what a change that is under way writes by. One that holds a connection must not wait for another. */
  async catalogue(database: Database | Transaction = this.database): Promise<Catalogue> {
    return catalogueOf([...this.shipped, ...(await this.ownRows(database)).map(({ body }) => body)]);
  }

  async reply(): Promise<z.input<typeof plan.catalogue.reply>> {
    const rows = await this.ownRows();
    const own = rows.map(({ body }) => body);
    const { boards, parts, supplies, antennas, gateways } = catalogueOf([...this.shipped, ...own]);
    return {
      boards: [...boards.values()],
      parts: [...parts.values()],
      supplies: [...supplies.values()],
      antennas: [...antennas.values()],
      gateways: [...gateways.values()],
      own: own.map((profile) => profile.id),
      versions: Object.fromEntries(rows.map(({ body, version }) => [body.id, version])),
    };
  }

  /** Keeps a profile in the place of version `from` of one's own (0: there is none). Gives its version; throws 409 where another is in force. */
  async put(profile: Profile, from: number, by: string): Promise<number> {
    return this.database.transaction(async (trx) => {
      await trx.raw('select pg_advisory_xact_lock(hashtext(?))', [`profile ${profile.id}`]);
      const row = (await trx('catalogue_entry').where({ id: profile.id }).first('version', 'body')) as
        { version: number; body: unknown } | undefined;
      const before = row?.version ?? 0;
      if (before !== from) throw changedMeanwhile('profile', from, before, row?.body ?? null);
      await trx('catalogue_entry')
        .insert({ id: profile.id, body: JSON.stringify(profile), made_by: by, version: from + 1 })
        .onConflict('id')
        .merge();
      return from + 1;
    });
  }

  async remove(id: string): Promise<void> {
    if ((await this.database('catalogue_entry').where({ id }).delete()) === 0)
      throw notFound(`profile of your own named ${id.slice(0, 60)}`);
  }

  private async ownRows(database: Database | Transaction = this.database): Promise<{ body: Profile; version: number }[]> {
    const rows = (await database('catalogue_entry').orderBy('id').select('body', 'version')) as { body: unknown; version: number }[];
    return rows.map(({ body, version }) => ({ body: profileSchema.parse(body), version }));
  }
}
