import type { Database } from '../database/connect';
import type { Vault } from '../vault/vault';

const WORDS = 'sealed with the key of this site';

/**
 * Is this the key that the database's secrets are sealed with? Remembers it at first use. Throws, with what to do, where it is not: another
 * key would open nothing, and print other set-up passwords than those on the labels.
 */
export async function checkKey(database: Database, vault: Vault): Promise<void> {
  const opens = (sealed: string): boolean => {
    try {
      vault.open(sealed);
      return true;
    } catch {
      return false;
    }
  };
  const kept = (await database('key_check').first('sealed')) as { sealed: string } | undefined;
  // A database of before has no check, but may have something sealed.
  const some =
    kept ??
    ((await database('site_network').whereNotNull('passphrase_sealed').first('passphrase_sealed as sealed')) as
      { sealed: string } | undefined);
  if (some && !opens(some.sealed))
    throw new Error(
      'The secret key is not the one that this database is sealed with. Put back the file secret.key from the data directory (DEWPOST_DATA_DIR), ' +
        'or set DEWPOST_SECRET_KEY to the key of before. Without it nodes must be written again, and their passphrases typed anew.',
    );
  if (!kept) await database('key_check').insert({ sealed: vault.seal(WORDS) });
}
