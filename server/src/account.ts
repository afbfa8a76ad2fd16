import { roleSchema } from '@dewpost/contract';
import { createInterface } from 'node:readline/promises';
import { addAccount } from './access/accounts';
import { readConfig } from './config';
import { connect, migrate } from './database/connect';

const USAGE =
  'usage: npm run account -- add --name <name> --role maker|keeper   (the password is asked for, or read from DEWPOST_PASSWORD)';

function option(name: string): string | undefined {
  const at = process.argv.indexOf(`--${name}`);
  return at === -1 ? undefined : process.argv[at + 1];
}

async function main(): Promise<void> {
  if (process.argv[2] !== 'add') throw new Error(USAGE);
  const config = readConfig(process.env);
  const ask = createInterface({ input: process.stdin, output: process.stderr });
  try {
    const name = option('name') ?? (await ask.question('Account name: '));
    const role = roleSchema.safeParse(option('role') ?? 'maker');
    if (!role.success) throw new Error(USAGE);
    const password = process.env['DEWPOST_PASSWORD'] ?? (await ask.question('Password (10 characters or more): '));
    const database = connect(config.databaseUrl, 2);
    try {
      await migrate(database);
      await addAccount(database, name.trim(), role.data, password);
      console.log(`${role.data} ${name.trim()} can sign in now.`);
    } finally {
      await database.destroy();
    }
  } finally {
    ask.close();
  }
}

main().catch((error: unknown) => {
  console.error(error instanceof Error ? error.message : error);
  process.exitCode = 1;
});
