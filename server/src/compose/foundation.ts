import type { Logger } from 'pino';
import { checkKey } from '../access/key-check';
import { makeVault, secretFile, type Vault } from '../vault/vault';
import type { Config } from '../config/config';
import { connect, migrateAt, type Database } from '../database/connect';
import { OnlyServer } from '../database/only-server';
import { Store } from '../store/change';

/** What everything else stands on: the right to be this database's server, its schema, its pool and its key. */
export interface Foundation {
  database: Database;
  store: Store;
  vault: Vault;
  close: () => Promise<void>;
}

/** Throws, with what to do, where another server runs on the database, or the key is not its own; then nothing is left open. */
export async function layFoundation(config: Config, log: Logger): Promise<Foundation> {
  const only = new OnlyServer(config.databaseUrl, log, (who) => {
    log.fatal(`another Dew Post server has taken over this database (${who}): this one ends`);
    process.kill(process.pid, 'SIGTERM');
  });
  await only.take();
  let database: Database | null = null;
  const close = async (): Promise<void> => {
    await database?.destroy();
    await only.release();
  };
  try {
    const vault = makeVault(config.secretKey ?? secretFile(config.dataDirectory, 'secret.key'));
    await migrateAt(config.databaseUrl);
    database = connect(config.databaseUrl, config.databaseConnections);
    await checkKey(database, vault);
    return { database, store: new Store(database, log), vault, close };
  } catch (error) {
    await close();
    throw error;
  }
}
