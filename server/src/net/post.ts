import { request as plainRequest } from 'node:http';
import { request as tlsRequest } from 'node:https';
import { placeOf } from './outgoing';

const PATIENCE_MS = 10_000;

/** It was reached, and did not take it. */
export class Refused extends Error {
  constructor(readonly status: number) {
    super(`it answered ${status}`);
  }
}

/**
 * Posts a body to an address outside. Resolves when it answered 2xx; rejects with words otherwise. No redirect is followed, and the answer is
 * not read: whoever answers decides nothing here. `authority`: certificates (PEM) that are trusted beside none else; '' trusts the public ones.
 */
export async function post(
  url: string,
  sent: { readonly body: string | Uint8Array; readonly headers: Readonly<Record<string, string>>; readonly authority?: string },
  allowed: readonly string[],
): Promise<void> {
  const target = new URL(url);
  const tls = target.protocol === 'https:';
  const port = Number(target.port) || (tls ? 443 : 80);
  const place = await placeOf(target.hostname, port, allowed);
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
        ...(sent.authority && { ca: sent.authority }),
        headers: {
          host: target.host,
          'content-length': Buffer.byteLength(sent.body),
          'user-agent': 'Dew Post',
          ...sent.headers,
        },
      },
      (answer) => {
        clearTimeout(timer);
        const { statusCode = 0 } = answer;
        answer.destroy();
        if (statusCode >= 200 && statusCode < 300) resolve();
        else if (statusCode >= 300 && statusCode < 400)
          reject(new Error(`it answered ${statusCode}: redirects are not followed, give the address it leads to`));
        else reject(new Refused(statusCode));
      },
    );
    call.on('error', (error) => {
      clearTimeout(timer);
      reject(error);
    });
    call.end(sent.body);
  });
}
