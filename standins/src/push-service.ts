import { createDecipheriv, createECDH, createPublicKey, hkdfSync, randomBytes, randomUUID, verify, type ECDH } from 'node:crypto';
import type { IncomingHttpHeaders } from 'node:http';

/** What one browser knows, so that nobody else can read what is pushed to it. */
export interface BrowserKeys {
  readonly ecdh: ECDH;
  readonly auth: Uint8Array;
}

const SALT = 16;
const RECORD_SIZE = 4;
const KEY = 65;

/** Reads a message as a browser does (RFC 8291 with one record of RFC 8188, aes128gcm). Throws where it was not encrypted for these keys. */
export function decryptPush(body: Buffer, { ecdh, auth }: BrowserKeys): string {
  const idAt = SALT + RECORD_SIZE + 1;
  const salt = body.subarray(0, SALT);
  const sender = body.subarray(idAt, idAt + (body[idAt - 1] ?? 0));
  if (sender.length !== KEY) throw new Error('the message names no key of its sender');
  const derive = (key: Uint8Array, by: Uint8Array, info: string | Buffer, length: number): Buffer =>
    Buffer.from(hkdfSync('sha256', key, by, info, length));
  const info = Buffer.concat([Buffer.from('WebPush: info\0'), ecdh.getPublicKey(), sender]);
  const material = derive(ecdh.computeSecret(sender), auth, info, 32);
  const decipher = createDecipheriv(
    'aes-128-gcm',
    derive(material, salt, 'Content-Encoding: aes128gcm\0', 16),
    derive(material, salt, 'Content-Encoding: nonce\0', 12),
  );
  decipher.setAuthTag(body.subarray(-16));
  const padded = Buffer.concat([decipher.update(body.subarray(idAt + KEY, -16)), decipher.final()]);
  // After the text a 2, and as many zeros as its sender liked.
  return padded.subarray(0, padded.lastIndexOf(2)).toString('utf8');
}

/** Checks that whoever sends is the house that subscribed (RFC 8292): why not, in words, or `null`. `now` in ms. */
export function senderFault(headers: IncomingHttpHeaders, endpoint: string, publicKey: string, now: number): string | null {
  const [, token = '', key = ''] = /^vapid t=([\w.-]+), *k=([\w-]+)$/.exec(headers.authorization ?? '') ?? [];
  if (key !== publicKey) return 'another house has subscribed';
  const [head = '', claims = '', signature = ''] = token.split('.');
  const point = Buffer.from(key, 'base64url');
  const jwk = { kty: 'EC', crv: 'P-256', x: point.subarray(1, 33).toString('base64url'), y: point.subarray(33).toString('base64url') };
  const signer = { key: createPublicKey({ key: jwk, format: 'jwk' }), dsaEncoding: 'ieee-p1363' as const };
  if (!verify('sha256', Buffer.from(`${head}.${claims}`), signer, Buffer.from(signature, 'base64url'))) return 'the signature is wrong';
  const { aud, exp } = JSON.parse(Buffer.from(claims, 'base64url').toString('utf8')) as { aud?: string; exp?: number };
  if (aud !== new URL(endpoint).origin) return 'it is meant for another push service';
  const left = (exp ?? 0) - now / 1000;
  return left > 0 && left <= 86_400 ? null : 'its time is over, or more than a day away';
}

export interface Pushed {
  readonly title: string;
  readonly text: string;
}

/** A push service and the browsers behind it: subscribes, checks who sends, decrypts what was sent. */
export class PushService {
  private readonly browsers = new Map<string, BrowserKeys & { readonly publicKey: string; readonly endpoint: string }>();

  /** A browser subscribes to the house with this key; `origin` is where this service is reached. */
  subscribe(publicKey: string, origin: string): { endpoint: string; keys: { p256dh: string; auth: string } } {
    const ecdh = createECDH('prime256v1');
    const auth = randomBytes(16);
    const id = randomUUID();
    const endpoint = `${origin}/push/${id}`;
    const p256dh = ecdh.generateKeys('base64url');
    this.browsers.set(id, { ecdh, auth, publicKey, endpoint });
    return { endpoint, keys: { p256dh, auth: auth.toString('base64url') } };
  }

  /** The browser wants nothing more. */
  unsubscribe(id: string): void {
    this.browsers.delete(id);
  }

  /** Takes a message for a browser; the status says what became of it, as RFC 8030 has it. */
  take(id: string, headers: IncomingHttpHeaders, body: Buffer, now: number): { status: number; detail: string; pushed: Pushed | null } {
    const browser = this.browsers.get(id);
    if (!browser) return { status: 410, detail: 'nobody is subscribed here any more', pushed: null };
    if (headers['content-encoding'] !== 'aes128gcm' || !/^\d+$/.test(String(headers['ttl'])))
      return { status: 400, detail: 'aes128gcm and a TTL are needed', pushed: null };
    const fault = senderFault(headers, browser.endpoint, browser.publicKey, now);
    if (fault !== null) return { status: 403, detail: fault, pushed: null };
    const { title, text } = JSON.parse(decryptPush(body, browser)) as Pushed;
    return { status: 201, detail: 'pushed', pushed: { title: String(title), text: String(text) } };
  }
}
