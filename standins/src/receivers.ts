import type { IncomingMessage } from 'node:http';
import type { Socket } from 'node:net';
import { SMTPServer } from 'smtp-server';
import * as z from 'zod';
import { PushService } from './push-service';

/** What came by a way out of the house. */
export interface Received {
  readonly by: 'webhook' | 'mail' | 'push';
  readonly title: string;
  readonly text: string;
  readonly at: number;
}
export interface Answer {
  readonly status: number;
  readonly body: unknown;
}

const MOST_KEPT = 200;
const MOST_BYTES = 64 * 1024;
const subscribeSchema = z.object({ publicKey: z.string().regex(/^[\w-]{87}$/) });
const hookSchema = z.object({ title: z.string().default(''), text: z.string().default('') }).loose();

export async function bytesOf(stream: AsyncIterable<unknown>): Promise<Buffer> {
  const chunks: Buffer[] = [];
  let size = 0;
  for await (const chunk of stream) {
    size += (chunk as Buffer).length;
    if (size > MOST_BYTES) throw new Error('the body is too large');
    chunks.push(chunk as Buffer);
  }
  return Buffer.concat(chunks);
}

/** Whoever is outside the house in the demo: a webhook, a mail server, a push service with a browser behind it. They keep what came. */
export class Receivers {
  private readonly all: Received[] = [];
  private readonly pushes = new PushService();

  /** Newest first. */
  list(): readonly Received[] {
    return [...this.all].reverse();
  }

  /** Answers what is asked of them; `null`: that is none of theirs. `origin` is where they are reached. */
  async answer(route: string, request: IncomingMessage, origin: string): Promise<Answer | null> {
    if (route === 'GET /received') return { status: 200, body: this.list() };
    if (route === 'POST /hook') {
      const { title, text } = hookSchema.parse(JSON.parse((await bytesOf(request)).toString('utf8')));
      this.keep({ by: 'webhook', title, text });
      return { status: 200, body: { ok: true } };
    }
    if (route === 'POST /push') {
      const parsed = subscribeSchema.safeParse(JSON.parse((await bytesOf(request)).toString('utf8')));
      if (!parsed.success) return { status: 422, body: { detail: parsed.error.message } };
      return { status: 201, body: this.pushes.subscribe(parsed.data.publicKey, origin) };
    }
    const [, id = ''] = /^POST \/push\/([\w-]{36})$/.exec(route) ?? [];
    if (id === '') return null;
    const { status, detail, pushed } = this.pushes.take(id, request.headers, await bytesOf(request), Date.now());
    if (pushed) this.keep({ by: 'push', ...pushed });
    return { status, body: { detail } };
  }

  /** A mail server on loopback that takes every mail, without login or TLS. */
  mailServer(): SMTPServer {
    return new SMTPServer({
      authOptional: true,
      disabledCommands: ['AUTH', 'STARTTLS'],
      size: MOST_BYTES,
      onData: (stream, _session, done) => {
        bytesOf(stream)
          .then((bytes) => {
            const [head = '', text = ''] = bytes.toString('utf8').split(/\r\n\r\n(.*)/s);
            this.keep({ by: 'mail', title: /^subject: (.*(?:\r\n\s.*)*)/im.exec(head)?.[1] ?? '', text });
            done();
          })
          .catch((error: unknown) => done(error instanceof Error ? error : new Error(String(error))));
      },
    });
  }

  private keep(received: Omit<Received, 'at'>): void {
    this.all.push({ ...received, at: Date.now() });
    if (this.all.length > MOST_KEPT) this.all.shift();
  }
}

/** Where the one who asks has reached this server. */
export const originOf = (request: IncomingMessage): string => `http://127.0.0.1:${(request.socket as Socket).localPort ?? 80}`;
