import { type Account, type Me, type Role } from '@dewpost/contract';
import { hash, verify } from '@node-rs/argon2';
import type { Database, Transaction } from '../database/connect';
import { notFound, ProblemError } from '../problem/problem';

// Argon2id with the library's defaults for memory; about 50 ms here. A tenth of a second a guess is the point.
const COST = { memoryCost: 19_456, timeCost: 3, parallelism: 1 };

let decoy: Promise<string> | null = null;

interface AccountRow {
  name: string;
  role: Role;
  demo: boolean;
  created_at: Date;
}

function checkNew(name: string, password: string): void {
  if (password.length < 10) throw new ProblemError(422, 'Cannot be used', 'A password has at least 10 characters.');
  if (!/^[\p{L}\p{N} ._-]{1,80}$/u.test(name))
    throw new ProblemError(422, 'Cannot be used', 'An account name has 1 to 80 letters, digits, spaces and . _ -');
}

/** Adds an account. Throws when the name is taken or the password is shorter than 10 characters. */
export async function addAccount(database: Database, name: string, role: Role, password: string, demo = false): Promise<void> {
  checkNew(name, password);
  const added = await database('account')
    .insert({ name, role, password_hash: await hash(password, COST), demo })
    .onConflict('name')
    .ignore();
  if ((added as unknown as { rowCount: number }).rowCount === 0)
    throw new ProblemError(409, 'Name taken', `There is an account named ${name} already: choose another name, or set its password.`);
}

/** Everybody who can sign in, by name. */
export async function listAccounts(database: Database): Promise<Account[]> {
  const rows = (await database('account').orderBy('name').select('name', 'role', 'demo', 'created_at')) as AccountRow[];
  return rows.map(({ name, role, demo, created_at: at }) => ({ name, role, demo, createdAt: at.getTime() }));
}

/** Sets an account's password and ends its sessions, but for the one named. Throws 404 where there is no such account. */
export async function setPassword(database: Database, name: string, password: string, keepSession: string | null = null): Promise<void> {
  checkNew(name, password);
  const made = await hash(password, COST);
  await database.transaction(async (trx) => {
    const changed = await trx('account').where({ name }).update({ password_hash: made, demo: false });
    if (changed === 0) throw notFound(`account named ${name.slice(0, 80)}`);
    await endSessions(trx, name, keepSession);
  });
}

/** Takes an account away and ends its sessions. Throws 409 for the last maker: nobody could let anybody in again. */
export async function removeAccount(database: Database, name: string, demoAllowed: boolean): Promise<void> {
  await database.transaction(async (trx) => {
    const rows = (await trx('account').where({ role: 'maker' }).forUpdate().select('name', 'demo')) as { name: string; demo: boolean }[];
    const makers = rows.filter((row) => !row.demo || demoAllowed);
    if (makers.length === 1 && makers[0]?.name === name)
      throw new ProblemError(409, 'Last maker', `${name} is the only maker: make another one first.`);
    if ((await trx('account').where({ name }).delete()) === 0) throw notFound(`account named ${name.slice(0, 80)}`);
    await endSessions(trx, name, null);
  });
}

async function endSessions(trx: Transaction, name: string, keep: string | null): Promise<void> {
  const query = trx('session').whereRaw("sess->'me'->>'name' = ?", [name]);
  if (keep !== null) void query.whereNot({ sid: keep });
  await query.delete();
}

/** Who this is, or `null`. Takes as long for an unknown name as for a wrong password. */
export async function checkPassword(database: Database, name: string, password: string, demoAllowed: boolean): Promise<Me | null> {
  const row = (await database('account').where({ name }).first('name', 'role', 'password_hash', 'demo')) as
    { name: string; role: Role; password_hash: string; demo: boolean } | undefined;
  decoy ??= hash('nobody has this password', COST);
  const right = await verify(row?.password_hash ?? (await decoy), password);
  if (!row || !right || (row.demo && !demoAllowed)) return null;
  return { name: row.name, role: row.role };
}

/** An account as it is now, or `null`: what a session says of its role may be old. */
export async function accountNow(database: Database, name: string): Promise<Me | null> {
  return ((await database('account').where({ name }).first('name', 'role')) as Me | undefined) ?? null;
}

/** Accounts in all. */
export async function accountCount(database: Database): Promise<number> {
  const [row] = await database('account').count<{ count: number }[]>('* as count');
  return Number(row?.count ?? 0);
}
