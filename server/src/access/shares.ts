import type { Share } from '@dewpost/contract';
import { randomBytes } from 'node:crypto';
import { digestOf, randomToken } from '../vault/vault';
import type { HouseEvents } from '../model/house-events';
import type { Database } from '../database/connect';
import { notFound, ProblemError } from '../problem/problem';

interface ShareRow {
  id: number;
  dashboard: string;
  label: string;
  created_at: Date;
  ends_at: Date;
  revoked_at: Date | null;
  seen_at: Date | null;
}

const viewOf = (row: ShareRow): Share => ({
  id: row.id,
  label: row.label,
  dashboard: row.dashboard,
  createdAt: row.created_at.getTime(),
  endsAt: row.ends_at.getTime(),
  revokedAt: row.revoked_at?.getTime() ?? null,
  seenAt: row.seen_at?.getTime() ?? null,
});

/** Share links: only the digest of a token is stored; a cookie made from it reaches the shared routes only. */
export class Shares {
  /** Random ids of cookies handed out, in memory: after a restart the page posts its token again. */
  private readonly cookies = new Map<string, number>();

  constructor(
    private readonly database: Database,
    private readonly events: HouseEvents,
  ) {}

  async list(): Promise<Share[]> {
    const rows = (await this.database('share').orderBy('id', 'desc')) as ShareRow[];
    return rows.map(viewOf);
  }

  async make(dashboard: string, label: string, days: number, by: string): Promise<{ share: Share; token: string }> {
    const token = randomToken(24);
    const [row] = (await this.database('share')
      .insert({ digest: digestOf(token), dashboard, label, made_by: by, ends_at: new Date(Date.now() + days * 86_400_000) })
      .returning('*')) as ShareRow[];
    if (!row) throw new Error('a share was not written');
    return { share: viewOf(row), token };
  }

  async revoke(id: number): Promise<Share> {
    const [row] = (await this.database('share')
      .where({ id })
      .whereNull('revoked_at')
      .update({ revoked_at: new Date() })
      .returning('*')) as ShareRow[];
    if (!row) throw notFound('link in use with this number');
    for (const [cookie, share] of this.cookies) if (share === id) this.cookies.delete(cookie);
    this.events.tell('shareRevoked', id);
    return viewOf(row);
  }

  /** Takes a token once and gives the value of a cookie for it. */
  async open(token: string): Promise<{ cookie: string; share: Share }> {
    const row = (await this.database('share')
      .where({ digest: digestOf(token) })
      .first()) as ShareRow | undefined;
    if (!row || row.revoked_at || row.ends_at < new Date()) {
      throw new ProblemError(401, 'Link ended', 'This link has ended: ask whoever gave it to you for a new one.');
    }
    await this.database('share').where({ id: row.id }).update({ seen_at: new Date() });
    const cookie = randomBytes(18).toString('base64url');
    this.cookies.set(cookie, row.id);
    return { cookie, share: viewOf(row) };
  }

  /** The link behind a cookie, if it is still good. */
  async byCookie(cookie: string): Promise<Share | null> {
    const id = this.cookies.get(cookie);
    return id === undefined ? null : this.byId(id);
  }

  async byId(id: number): Promise<Share | null> {
    const row = (await this.database('share').where({ id }).whereNull('revoked_at').where('ends_at', '>', new Date()).first()) as
      ShareRow | undefined;
    return row ? viewOf(row) : null;
  }
}
