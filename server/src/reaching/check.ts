import type { CheckReply } from '@dewpost/contract';
import { request as plainRequest } from 'node:http';
import { connect, isIP } from 'node:net';
import { connect as connectTls, type TLSSocket } from 'node:tls';
import { bareHost, isInternal, isLoopback } from '../net/internal';
import { resolveAll } from '../net/outgoing';

const PATIENCE_MS = 5000;
const MOST_ANSWER_BYTES = 4096;

type Step = CheckReply['steps'][number];

export interface CheckParts {
  /** This machine's own addresses; other machines of the building are not asked. */
  readonly own: readonly string[];
  /** What this very server says of itself, to tell it from another. */
  readonly serverId: string;
  readonly resolve?: (name: string) => Promise<string[]>;
}

/** Asks this server under an address, step by step: name, port, certificate, answer; and says where that stopped, why, and what to do next. */
export async function checkAddress(text: string, { own, serverId, resolve = resolveAll }: CheckParts): Promise<CheckReply> {
  const target = new URL(text);
  const tls = target.protocol === 'https:';
  const name = bareHost(target.hostname);
  const port = Number(target.port) || (tls ? 443 : 80);
  const steps: Step[] = [];
  const reply = (cause: string | null, next: string | null, leadsTo: string[] = []): CheckReply => {
    for (const step of ['name', 'port', 'certificate', 'answer'] as const)
      if (!steps.some((one) => one.step === step)) steps.push({ step, state: 'not reached', ms: 0, text: '' });
    return { url: target.origin, leadsTo, steps, ok: cause === null, cause, next };
  };

  let addresses: string[];
  const asked = performance.now();
  try {
    addresses = isIP(name) === 0 ? await within(resolve(name), PATIENCE_MS) : [name];
  } catch (error) {
    steps.push({ step: 'name', state: 'failed', ms: performance.now() - asked, text: codeOf(error) });
    return reply(
      `Nobody knows the name ${name} here.`,
      'Look for typing mistakes; make the name at your provider or in the router, and wait until it has got about.',
    );
  }
  steps.push({ step: 'name', state: 'passed', ms: performance.now() - asked, text: addresses.join(', ') });
  const allowed = addresses.filter((address) => !isInternal(address) || isLoopback(address) || own.includes(address));
  const [address] = allowed;
  if (address === undefined) {
    steps.push({ step: 'port', state: 'failed', ms: 0, text: 'not asked' });
    return reply(
      `${name} leads to ${addresses.join(', ')}: another machine of the building, which is not asked from here.`,
      'Open this address in a browser of the building, or let the name lead to this machine.',
      addresses,
    );
  }

  const opened = performance.now();
  const refusal = await knock(address, port);
  const ms = performance.now() - opened;
  if (refusal !== null) {
    steps.push({ step: 'port', state: 'failed', ms, text: refusal });
    const outside = !isInternal(address);
    return reply(
      refusal === 'no answer' ? `Port ${port} at ${address} does not answer.` : `Nothing listens at port ${port} of ${address}.`,
      outside
        ? `Lead port ${port} of the router to the machine that takes it, and ask again; some routers do not let their own building in from outside.`
        : 'Look whether DEWPOST_BIND lets the building in, and whether the port is the one of this door.',
      addresses,
    );
  }
  steps.push({ step: 'port', state: 'passed', ms, text: `${address}:${port}` });

  if (!tls) steps.push({ step: 'certificate', state: 'not needed', ms: 0, text: 'no TLS: it can be read on the way' });
  else {
    const greeted = performance.now();
    const fault = await greet(address, port, name);
    if (fault !== null) {
      steps.push({ step: 'certificate', state: 'failed', ms: performance.now() - greeted, text: fault });
      const [cause, next] = meaningOf(fault, name);
      return reply(cause, next, addresses);
    }
    steps.push({ step: 'certificate', state: 'passed', ms: performance.now() - greeted, text: `for ${name}, and trusted` });
  }

  const sent = performance.now();
  const answer = await ask(target, address, port, tls, name).catch((error: unknown) => codeOf(error));
  const took = performance.now() - sent;
  if (typeof answer === 'string' || answer.server !== serverId) {
    steps.push({ step: 'answer', state: 'failed', ms: took, text: typeof answer === 'string' ? answer : 'another server' });
    return reply(
      typeof answer === 'string'
        ? `Something answers there, and it is not Dew Post (${answer}).`
        : 'Another Dew Post answers there, not this one.',
      'Let the proxy forward to this server, with Host, X-Forwarded-For and X-Forwarded-Proto.',
      addresses,
    );
  }
  steps.push({ step: 'answer', state: 'passed', ms: took, text: 'this server' });
  return reply(null, null, addresses);
}

const codeOf = (error: unknown): string => {
  const { code, message } = error as NodeJS.ErrnoException;
  return code ?? message;
};

async function within<T>(work: Promise<T>, ms: number): Promise<T> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => reject(new Error('no answer')), ms);
  });
  try {
    return await Promise.race([work, late]);
  } finally {
    clearTimeout(timer);
  }
}

/** Opens the port; gives why it could not. */
function knock(address: string, port: number): Promise<string | null> {
  return new Promise((resolve) => {
    const socket = connect({ host: address, port, timeout: PATIENCE_MS }, () => {
      socket.destroy();
      resolve(null);
    });
    socket.on('timeout', () => {
      socket.destroy();
      resolve('no answer');
    });
    socket.on('error', (error) => resolve(codeOf(error) === 'ETIMEDOUT' ? 'no answer' : codeOf(error)));
  });
}

/** Greets with TLS as a browser would; gives why it would not be trusted. */
function greet(address: string, port: number, name: string): Promise<string | null> {
  return new Promise((resolve) => {
    const socket: TLSSocket = connectTls(
      { host: address, port, ...(isIP(name) === 0 && { servername: name }), timeout: PATIENCE_MS },
      () => {
        socket.destroy();
        resolve(null);
      },
    );
    socket.on('timeout', () => {
      socket.destroy();
      resolve('no answer');
    });
    socket.on('error', (error) => resolve(codeOf(error)));
  });
}

function meaningOf(code: string, name: string): [string, string] {
  if (code === 'CERT_HAS_EXPIRED') return ['Its certificate has expired.', 'Renew it; Dew Post takes a new one within ten seconds.'];
  if (code === 'ERR_TLS_CERT_ALTNAME_INVALID')
    return [`Its certificate is for another name than ${name}.`, `Make one that names ${name}: npm run certificate -- --name ${name}`];
  if (/SELF_SIGNED|UNABLE_TO_(GET|VERIFY)|DEPTH_ZERO/.test(code))
    return [
      'Its certificate is signed by nobody that this machine knows: a private authority, perhaps the building’s own.',
      'Give authority.crt to each phone and node that comes in here, or use a certificate that is trusted everywhere.',
    ];
  return [`It does not speak TLS there (${code}).`, 'Look whether the port is the one with TLS.'];
}

/** What the server there says of itself. Follows no redirect and reads little: whatever answers is not to be trusted. */
function ask(target: URL, address: string, port: number, tls: boolean, name: string): Promise<{ server: string | null } | string> {
  return new Promise((resolve, reject) => {
    const call = plainRequest(
      {
        host: address,
        port,
        path: '/healthz',
        headers: { host: target.host },
        timeout: PATIENCE_MS,
        ...(tls && {
          createConnection: () =>
            connectTls({ host: address, port, ...(isIP(name) === 0 && { servername: name }), rejectUnauthorized: true }),
        }),
      },
      (answer) => {
        let text = '';
        answer.setEncoding('utf8');
        answer.on('data', (chunk: string) => {
          text += chunk;
          if (text.length > MOST_ANSWER_BYTES) answer.destroy();
        });
        answer.on('close', () => {
          if (answer.statusCode !== 200) return resolve(`it answered ${answer.statusCode}`);
          try {
            const body = JSON.parse(text) as { ok?: unknown; server?: unknown };
            resolve(body.ok === true ? { server: typeof body.server === 'string' ? body.server : null } : 'no such answer');
          } catch {
            resolve('no such answer');
          }
        });
      },
    );
    call.on('timeout', () => call.destroy(new Error('no answer')));
    call.on('error', reject);
    call.end();
  });
}
