import { pbkdf2 } from '@noble/hashes/pbkdf2.js';
import { sha1 } from '@noble/hashes/legacy.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';

/** Octets of a network name as UTF-8: what the standard counts. */
export const nameOctets = (name: string): number => new TextEncoder().encode(name).length;

/** Can this be a network's name: 1 to 32 octets? Source: IEEE 802.11, SSID element (0 octets is the wildcard). */
export const isNetworkName = (name: string): boolean => nameOctets(name) >= 1 && nameOctets(name) <= 32;

/** Is this a WPA2 secret: 8 to 63 printable ASCII characters, or 64 hexadecimal digits? Spaces count: nothing is trimmed. Source: IEEE 802.11. */
export const isNetworkSecret = (secret: string): boolean => /^[\x20-\x7e]{8,63}$/.test(secret) || /^[0-9a-fA-F]{64}$/.test(secret);

/** One thing about a name or passphrase worth saying before thirty nodes are written with it. */
export interface CredentialNote {
  readonly severity: 'fail' | 'warn';
  readonly text: string;
}

/** What is wrong, or suspicious, about a network's name and passphrase (`null`: an open network); nothing is trimmed or changed. */
export function checkCredentials(name: string, secret: string | null): CredentialNote[] {
  const notes: CredentialNote[] = [];
  const octets = nameOctets(name);
  if (!isNetworkName(name))
    notes.push({ severity: 'fail', text: octets === 0 ? 'The network needs a name.' : `The name has ${octets} octets; 32 is the most.` });
  if (secret !== null && !isNetworkSecret(secret)) {
    const odd = /[^\x20-\x7e]/.exec(secret);
    notes.push({
      severity: 'fail',
      text: odd
        ? `The passphrase holds "${odd[0]}", which is not printable ASCII.`
        : `The passphrase has ${secret.length} characters; 8 to 63 are allowed.`,
    });
  }
  // The commonest reason a node never joins (common practice).
  if (name !== name.trim())
    notes.push({ severity: 'warn', text: `The name ${name.startsWith(' ') ? 'begins' : 'ends'} with a space: is it so at the router?` });
  if (secret === null)
    notes.push({
      severity: 'warn',
      text: 'Open: whoever is near hears what nodes send on it, their keys too unless they speak TLS. Give it a passphrase if it is yours.',
    });
  else if (secret !== secret.trim())
    notes.push({
      severity: 'warn',
      text: `The passphrase ${secret.startsWith(' ') ? 'begins' : 'ends'} with a space: is it so at the router?`,
    });
  // Not the 15 of a floor or a house.
  if (/(^|[^\d.,])5 ?g(hz)?\b/i.test(name))
    notes.push({ severity: 'warn', text: 'The name sounds like 5 GHz: small boards hear 2.4 GHz only.' });
  return notes;
}

/** The 256-bit key of a passphrase, hexadecimal: PBKDF2-HMAC-SHA1, 4096 rounds, the name's octets as salt. Source: IEEE 802.11i Annex H.4. */
export const presharedKey = (passphrase: string, name: string): string =>
  bytesToHex(pbkdf2(sha1, utf8ToBytes(passphrase), utf8ToBytes(name), { c: 4096, dkLen: 32 }));

/** The text of a code that lets a phone join: `WIFI:T:…;S:…;P:…;;`, backslash before \ ; , " and :. It holds the secret in clear. Source: widely deployed convention. */
export function joinCodeText(network: { name: string; secret: string | null; kind: 'WPA' | 'nopass' | null; hidden: boolean }): string {
  const escape = (text: string): string => text.replace(/[\\;,":]/g, '\\$&');
  const parts = [
    network.kind === null ? '' : `T:${network.kind};`,
    `S:${escape(network.name)};`,
    network.secret === null ? '' : `P:${escape(network.secret)};`,
    network.hidden ? 'H:true;' : '',
  ];
  return `WIFI:${parts.join('')};`;
}
