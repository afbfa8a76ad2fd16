import { type Me, type Role } from '@dewpost/contract';
import { hash, verify } from '@node-rs/argon2';
import type { Database } from '../database/connect';

// Argon2id with the library's defaults for memory; about 50 ms here. A tenth of a second a guess is the point.
const COST = { memoryCost: 19_456, timeCost: 3, parallelism: 1 };

let decoy: Promise<string> | null = null;

/** Adds an account. Throws when the name is taken or the password is shorter than 10 characters. */
export async function addAccount(database: Database, name: string, role: Role, password: string, demo = false): Promise<void> {
  if (password.length < 10) throw new Error('A password has at least 10 characters.');
  if (!/^[\p{L}\p{N} ._-]{1,80}$/u.test(name)) throw new Error('An account name has 1 to 80 letters, digits, spaces and . _ -');
  const taken: unknown = await database('account').where({ name }).first('id');
  if (taken) throw new Error(`There is an account named ${name} already.`);
  await database('account').insert({ name, role, password_hash: await hash(password, COST), demo });
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

/** Accounts in all, and whether demo accounts are among them. */
export async function accountCount(database: Database): Promise<number> {
  const [row] = await database('account').count<{ count: number }[]>('* as count');
  return Number(row?.count ?? 0);
}
