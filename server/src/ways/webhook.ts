import { createHmac } from 'node:crypto';
import { post } from '../net/post';

/** The signature of a body: `t={Unix seconds},v1={HMAC-SHA256 of "t.body", hexadecimal}`. */
export function signatureOf(secret: string, body: string, seconds: number): string {
  return `t=${seconds},v1=${createHmac('sha256', secret).update(`${seconds}.${body}`).digest('hex')}`;
}

/** Posts a message as signed JSON. Rejects with words where it was not taken. */
export async function postWebhook(url: string, secret: string, message: object, allowed: readonly string[], now: number): Promise<void> {
  const body = JSON.stringify(message);
  const headers = { 'content-type': 'application/json', 'dew-post-signature': signatureOf(secret, body, Math.floor(now / 1000)) };
  await post(url, { body, headers }, allowed);
}
