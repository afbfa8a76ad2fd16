import { signedText, type Manifest } from '@dewpost/core/firmware';
import { createPrivateKey, createPublicKey, sign, verify } from 'node:crypto';

/** What stands before the 32 bytes of an Ed25519 key in its SubjectPublicKeyInfo. Source: RFC 8410 §4. */
const SPKI = Buffer.from('302a300506032b6570032100', 'hex');

/** What stands before the 32 bytes of a private key in its PKCS #8. Source: RFC 8410 §7. */
const PKCS8 = Buffer.from('302e020100300506032b657004220420', 'hex');

const privateKey = (seed: Buffer) => createPrivateKey({ key: Buffer.concat([PKCS8, seed]), format: 'der', type: 'pkcs8' });

/** The public key of a seed of 32 bytes, Base64 of its 32 bytes. */
export const publicKeyOf = (seed: Buffer): string =>
  createPublicKey(privateKey(seed)).export({ format: 'der', type: 'spki' }).subarray(SPKI.length).toString('base64');

/** Ed25519 signature over a text by a seed of 32 bytes, Base64. */
export const signWith = (seed: Buffer, text: string): string => sign(null, Buffer.from(text), privateKey(seed)).toString('base64');

/** Is this an Ed25519 signature over the text by this key (Base64 of its 32 bytes)? False for what is no key and no signature. */
export function isSignedBy(publicKey: string, text: string | Buffer, signature: string): boolean {
  const raw = Buffer.from(publicKey, 'base64');
  if (raw.length !== 32) return false;
  const key = createPublicKey({ key: Buffer.concat([SPKI, raw]), format: 'der', type: 'spki' });
  return verify(null, Buffer.from(text), key, Buffer.from(signature, 'base64'));
}

/** The name of the trusted key that signed a manifest; `null` where none of them did. */
export function signerOf(manifest: Manifest, keys: readonly { public_key: string; name: string }[]): string | null {
  const { signature } = manifest;
  if (signature === null) return null;
  const text = signedText(manifest);
  return keys.find((key) => isSignedBy(key.public_key, text, signature))?.name ?? null;
}
