import type { plan } from '@dewpost/contract';
import { catalogueOf, profileSchema, type Catalogue, type Profile } from '@dewpost/core/circuit';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type * as z from 'zod';
import type { Database } from '../database/connect';
import { notFound } from '../http/problem';

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

  async catalogue(): Promise<Catalogue> {
    return catalogueOf([...this.shipped, ...(await this.own())]);
  }

  async reply(): Promise<z.input<typeof plan.catalogue.reply>> {
    const own = await this.own();
    const { boards, parts, supplies, antennas, gateways } = catalogueOf([...this.shipped, ...own]);
    return {
      boards: [...boards.values()],
      parts: [...parts.values()],
      supplies: [...supplies.values()],
      antennas: [...antennas.values()],
      gateways: [...gateways.values()],
      own: own.map((profile) => profile.id),
    };
  }

  async put(profile: Profile, by: string): Promise<void> {
    await this.database('catalogue_entry')
      .insert({ id: profile.id, body: JSON.stringify(profile), made_by: by })
      .onConflict('id')
      .merge();
  }

  async remove(id: string): Promise<void> {
    if ((await this.database('catalogue_entry').where({ id }).delete()) === 0)
      throw notFound(`profile of your own named ${id.slice(0, 60)}`);
  }

  private async own(): Promise<Profile[]> {
    const rows = (await this.database('catalogue_entry').orderBy('id').select('body')) as { body: unknown }[];
    return rows.map((row) => profileSchema.parse(row.body));
  }
}
