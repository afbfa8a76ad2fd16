import { fillTemplate } from '@dewpost/core/alarm';
import type { HandsetMessage } from '@dewpost/core/wire';
import { createHmac } from 'node:crypto';
import { post } from '../net/post';

/** The signature of a body: `t={Unix seconds},v1={HMAC-SHA256 of "t.body", hexadecimal}`. */
export function signatureOf(secret: string, body: string, seconds: number): string {
  return `t=${seconds},v1=${createHmac('sha256', secret).update(`${seconds}.${body}`).digest('hex')}`;
}

/** Posts a message as signed JSON, by the way's own template where it has one. Rejects with words where it was not taken. */
export async function postWebhook(
  { url, template }: { readonly url: string; readonly template?: string | null },
  secret: string,
  message: HandsetMessage & { readonly site: string; readonly link: string | null },
  allowed: readonly string[],
  now: number,
): Promise<void> {
  const body = template ? fillTemplate(template, message) : JSON.stringify(message);
  const headers = { 'content-type': 'application/json', 'dew-post-signature': signatureOf(secret, body, Math.floor(now / 1000)) };
  await post(url, { body, headers }, allowed);
}
