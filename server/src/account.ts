import { roleSchema } from '@dewpost/contract';
import { createInterface } from 'node:readline/promises';
import { addAccount, listAccounts, removeAccount, setPassword } from './access/accounts';
import { readConfig } from './config/config';
import { connect, migrate, type Database } from './database/connect';

const USAGE = `usage: npm run account -- list
       npm run account -- add --name <name> --role maker|keeper
       npm run account -- set-password --name <name>
       npm run account -- remove --name <name>
A password is asked for, or read from DEWPOST_PASSWORD. A new password, and a removal, sign the account out everywhere.`;

function option(name: string): string | undefined {
  const at = process.argv.indexOf(`--${name}`);
  return at === -1 ? undefined : process.argv[at + 1];
}

type Ask = (question: string) => Promise<string>;

async function act(verb: string | undefined, database: Database, ask: Ask): Promise<string> {
  const name = async (): Promise<string> => (option('name') ?? (await ask('Account name: '))).trim();
  const password = async (): Promise<string> => process.env['DEWPOST_PASSWORD'] ?? ask('Password (10 characters or more): ');
  switch (verb) {
    case 'list': {
      const accounts = await listAccounts(database);
      return accounts.map((account) => `${account.role}  ${account.name}`).join('\n') || 'nobody can sign in yet: add a maker';
    }
    case 'add': {
      const role = roleSchema.safeParse(option('role') ?? 'maker');
      if (!role.success) throw new Error(USAGE);
      const who = await name();
      await addAccount(database, who, role.data, await password());
      return `${role.data} ${who} can sign in now.`;
    }
    case 'set-password': {
      const who = await name();
      await setPassword(database, who, await password());
      return `${who} has a new password, and is signed out everywhere.`;
    }
    case 'remove': {
      const who = await name();
      await removeAccount(database, who, false);
      return `${who} cannot sign in any more.`;
    }
    default:
      throw new Error(USAGE);
  }
}

async function main(): Promise<void> {
  const verb = process.argv[2];
  const config = readConfig(process.env);
  const reader = createInterface({ input: process.stdin, output: process.stderr });
  const database = connect(config.databaseUrl, 2, 0);
  try {
    await migrate(database);
    console.log(await act(verb, database, (question) => reader.question(question)));
  } finally {
    reader.close();
    await database.destroy();
  }
}

main().catch((error: unknown) => {
  console.error(error instanceof Error ? error.message : error);
  process.exitCode = 1;
});
