import { createCipheriv, createDecipheriv, createHash, createHmac, randomBytes } from 'node:crypto';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** Seals secrets at rest with AES-256-GCM. */
export interface Vault {
  seal(plain: string): string;
  /** Throws when the sealed text was made with another key or altered. */
  open(sealed: string): string;
  /** A password that always follows from this label, ten letters and digits that are not mistaken for each other. */
  password(label: string): string;
}

/** 32 of them, so that a byte picks each alike. */
const CLEAR_LETTERS = 'abcdefghijkmnpqrstuvwxyz23456789';

/** A vault on a 32-byte key in hexadecimal. Sealed form: base64 of 12 bytes nonce, 16 bytes tag, text. */
export function makeVault(keyHex: string): Vault {
  const key = Buffer.from(keyHex, 'hex');
  return {
    seal(plain) {
      const nonce = randomBytes(12);
      const cipher = createCipheriv('aes-256-gcm', key, nonce);
      const text = Buffer.concat([cipher.update(plain, 'utf8'), cipher.final()]);
      return Buffer.concat([nonce, cipher.getAuthTag(), text]).toString('base64');
    },
    open(sealed) {
      const bytes = Buffer.from(sealed, 'base64');
      const decipher = createDecipheriv('aes-256-gcm', key, bytes.subarray(0, 12));
      decipher.setAuthTag(bytes.subarray(12, 28));
      return Buffer.concat([decipher.update(bytes.subarray(28)), decipher.final()]).toString('utf8');
    },
    password(label) {
      const digest = createHmac('sha256', key).update(`password of ${label}`).digest();
      return [...digest.subarray(0, 10)].map((byte) => CLEAR_LETTERS[byte % CLEAR_LETTERS.length]).join('');
    },
  };
}

/** A secret of 64 hexadecimal digits kept in a 0600 file below the data directory, made at first start. Throws where the file holds something else. */
export function secretFile(dataDirectory: string, name: string): string {
  mkdirSync(dataDirectory, { recursive: true });
  const file = join(dataDirectory, name);
  try {
    writeFileSync(file, randomBytes(32).toString('hex'), { mode: 0o600, flag: 'wx' });
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
  }
  const secret = readFileSync(file, 'utf8').trim();
  if (!/^[0-9a-f]{64}$/.test(secret))
    throw new Error(
      `The file ${name} in the data directory is damaged: it holds ${secret.length} characters, not 64 hexadecimal digits. Put back a copy of it.`,
    );
  return secret;
}

/** A random token, URL-safe: 128 bits unless told otherwise. */
export const randomToken = (bytes = 16): string => randomBytes(bytes).toString('base64url');

/** SHA-256: what remains of a node key after its first contact, and of a share token at once. */
export const digestOf = (secret: string): Buffer => createHash('sha256').update(secret, 'utf8').digest();
