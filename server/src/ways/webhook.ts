import { createHmac } from 'node:crypto';
import { request as plainRequest } from 'node:http';
import { request as tlsRequest } from 'node:https';
import { placeOf } from '../net/outgoing';

const PATIENCE_MS = 10_000;

/** The signature of a body: `t={Unix seconds},v1={HMAC-SHA256 of "t.body", hexadecimal}`. */
export function signatureOf(secret: string, body: string, seconds: number): string {
  return `t=${seconds},v1=${createHmac('sha256', secret).update(`${seconds}.${body}`).digest('hex')}`;
}

/**
 * Posts JSON to an address outside. Resolves when it answered 2xx; rejects with words otherwise. No redirect is followed, and the answer is
 * not read: whoever answers decides nothing here.
 */
export async function postWebhook(url: string, secret: string, message: object, allowed: readonly string[], now: number): Promise<void> {
  const target = new URL(url);
  const tls = target.protocol === 'https:';
  const port = Number(target.port) || (tls ? 443 : 80);
  const place = await placeOf(target.hostname, port, allowed);
  const body = JSON.stringify(message);
  const seconds = Math.floor(now / 1000);
  await new Promise<void>((resolve, reject) => {
    // A time limit for the whole: one that answers a byte a minute is not waited for.
    const timer = setTimeout(() => call.destroy(new Error(`no answer in ${PATIENCE_MS / 1000} s`)), PATIENCE_MS);
    const call = (tls ? tlsRequest : plainRequest)(
      {
        method: 'POST',
        host: place.address,
        port,
        path: `${target.pathname}${target.search}`,
        servername: target.hostname,
        headers: {
          host: target.host,
          'content-type': 'application/json',
          'content-length': Buffer.byteLength(body),
          'user-agent': 'Dew Post',
          'dew-post-signature': signatureOf(secret, body, seconds),
        },
      },
      (answer) => {
        clearTimeout(timer);
        const { statusCode = 0 } = answer;
        answer.destroy();
        if (statusCode >= 200 && statusCode < 300) resolve();
        else if (statusCode >= 300 && statusCode < 400)
          reject(new Error(`it answered ${statusCode}: redirects are not followed, give the address it leads to`));
        else reject(new Error(`it answered ${statusCode}`));
      },
    );
    call.on('error', (error) => {
      clearTimeout(timer);
      reject(error);
    });
    call.end(body);
  });
}
