import { randomBytes, timingSafeEqual } from 'node:crypto';
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { NodeVoice } from './node-voice';
import type { SimulatedNode } from './simulated-node';

const escape = (text: string): string => text.replace(/[&<>"']/g, (letter) => `&#${letter.charCodeAt(0)};`);

/** How its lamp and its display stand. */
const shown = (look: NodeVoice['showing']): string =>
  look === null ? '' : `<p class="note">Its lamp is ${look.light}; its display shows: ${escape(look.show)}</p>`;

const page = (title: string, body: string, refresh = false): string => `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
${refresh ? '<meta http-equiv="refresh" content="5">' : ''}<title>${escape(title)}</title>
<style>body{font:16px/1.5 system-ui,sans-serif;margin:0 auto;padding:16px;max-width:420px;color:#1b2523;background:#fbfcf9}
h1{font-size:18px}label{display:block;margin:12px 0 2px}input,select,button{font:inherit;width:100%;padding:10px;box-sizing:border-box}
button{margin-top:14px}td{padding:4px 12px 4px 0}.note{border-left:3px solid #8a5a00;padding-left:10px}</style></head>
<body><h1>${escape(title)}</h1>${body}</body></html>`;

const SECURITY = {
  'content-type': 'text/html; charset=utf-8',
  'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'",
  'x-content-type-options': 'nosniff',
  'referrer-policy': 'no-referrer',
  'cache-control': 'no-store',
};

/**
 * The page that a node serves itself: to be set up while it has no network, and afterwards what it measures. Shows no secret; its
 * switch needs the password of the label and obeys every guard. Another origin than Dew Post, and trusted with nothing of it.
 */
export class NodePage {
  private readonly sessions = new Map<string, string>();
  private tries = 0;

  constructor(private readonly node: SimulatedNode) {}

  async answer(request: IncomingMessage, response: ServerResponse, action: string): Promise<void> {
    const { origin, host } = request.headers;
    if (request.method === 'POST' && origin !== undefined && origin !== `http://${host}`)
      return this.send(response, 403, 'Not from here', '<p>Open the page of the node itself.</p>');
    if (request.method === 'GET') return this.show(request, response);
    const form = await readForm(request);
    if (action === 'setup') return this.setUp(response, form);
    if (action === 'sign-in') return this.signIn(response, form);
    if (action === 'switch') return this.switch(request, response, form);
    this.send(response, 404, 'Not found', '<p>There is no such page.</p>');
  }

  private show(request: IncomingMessage, response: ServerResponse, said = ''): void {
    const { node } = this;
    const name = escape(node.node);
    if (!node.joining.joined) {
      if (!node.joining.setupUntil)
        return this.send(
          response,
          503,
          node.node,
          '<p>It has no network, and its set-up network is closed. Power it anew: after two minutes without a network it opens for ten.</p>',
        );
      const scan = node.scan();
      const options = scan
        .map(({ name: heard, dbm }) => `<option value="${escape(heard)}">${escape(heard || '(hidden)')}, ${dbm} dBm</option>`)
        .join('');
      const left = Math.max(0, Math.round((node.joining.setupUntil - Date.now()) / 60_000));
      return this.send(
        response,
        200,
        `Set up ${node.node}`,
        `${said}<p class="note">Open for ${left} more minutes; it goes on trying the networks it knows.</p>
<form method="post" action="/node/${name}/setup"><label for="n">Network</label><select id="n" name="network">${options}</select>
<label for="p">Its passphrase (empty: it is open)</label><input id="p" name="passphrase" type="password" minlength="8" maxlength="63" autocomplete="off">
<button>Save and join</button></form>`,
      );
    }
    const rows = node
      .readings()
      .map(({ point, value, unit }) => `<tr><td>${escape(point)}</td><td><b>${value}</b> ${escape(unit)}</td></tr>`)
      .join('');
    const signed = this.isSignedIn(request);
    const outputs = node.outputs
      .states()
      .map(({ point, on }) =>
        signed
          ? `<form method="post" action="/node/${name}/switch"><input type="hidden" name="point" value="${escape(point)}"><input type="hidden" name="on" value="${on ? '0' : '1'}"><button>${escape(point)} is ${on ? 'on: switch it off' : 'off: switch it on for a minute'}</button></form>`
          : `<p>${escape(point)} is <b>${on ? 'on' : 'off'}</b></p>`,
      )
      .join('');
    const door = signed
      ? ''
      : `<form method="post" action="/node/${name}/sign-in"><label for="w">Password of the label, to switch</label><input id="w" name="password" type="password" autocomplete="off" required><button>Sign in</button></form>`;
    this.send(
      response,
      200,
      node.node,
      `${said}<p>Joined ${escape(node.joining.joined)}.</p>${node.voice.saying === null ? '' : `<p class="note">It says: ${escape(node.voice.saying)}</p>`}${node.voice.isChirping ? '<p class="note">It chirps once a minute: it has no link to Dew Post.</p>' : ''}${shown(node.voice.showing)}<table>${rows}</table>${outputs}${door}`,
      !signed,
    );
  }

  private setUp(response: ServerResponse, form: URLSearchParams): void {
    const network = form.get('network') ?? '';
    const passphrase = form.get('passphrase') ?? '';
    if (!this.node.joining.setupUntil)
      return this.send(response, 409, this.node.node, '<p>Its set-up network has closed. Power it anew.</p>');
    if (network === '' || !/^([\x20-\x7e]{8,63})?$/.test(passphrase))
      return this.send(
        response,
        422,
        'Not saved',
        '<p>Choose a network and type a passphrase of 8 to 63 characters, or none where it is open. <a href="./">Back</a></p>',
      );
    this.node.setNetwork(network, passphrase || null);
    this.send(
      response,
      200,
      'Saved',
      '<p>It joins now. Its set-up network closes when it is in; this page is then at its address in the house.</p>',
    );
  }

  private signIn(response: ServerResponse, form: URLSearchParams): void {
    const wanted = this.node.configuration.setupPassword;
    const given = form.get('password') ?? '';
    // A page on the shelf must not be guessed at all night.
    if (++this.tries > 20) return this.send(response, 429, 'Too many tries', '<p>Power the node anew.</p>');
    if (wanted === null || !same(given, wanted))
      return this.send(response, 403, 'Not right', '<p>The password stands on the label of the node. <a href="./">Back</a></p>');
    this.tries = 0;
    const token = randomBytes(16).toString('hex');
    this.sessions.set(token, token);
    response
      .writeHead(303, {
        location: `/node/${this.node.node}`,
        'set-cookie': `node-page=${token}; HttpOnly; SameSite=Strict; Path=/node/${this.node.node}`,
      })
      .end();
  }

  private switch(request: IncomingMessage, response: ServerResponse, form: URLSearchParams): void {
    if (!this.isSignedIn(request))
      return this.send(response, 403, 'Sign in first', '<p>Reading needs nothing; switching needs the password of the label.</p>');
    const why = this.node.outputs.switchHere(form.get('point') ?? '', form.get('on') === '1');
    if (why === null) return void response.writeHead(303, { location: `/node/${this.node.node}` }).end();
    this.show(request, response, `<p class="note">Held: ${escape(why)}</p>`);
  }

  private isSignedIn(request: IncomingMessage): boolean {
    const token = /(?:^|;\s*)node-page=([0-9a-f]{32})/.exec(request.headers.cookie ?? '')?.[1];
    return token !== undefined && this.sessions.has(token);
  }

  private send(response: ServerResponse, status: number, title: string, body: string, refresh = false): void {
    response.writeHead(status, SECURITY).end(page(title, body, refresh));
  }
}

const same = (a: string, b: string): boolean => a.length === b.length && timingSafeEqual(Buffer.from(a), Buffer.from(b));

async function readForm(request: IncomingMessage): Promise<URLSearchParams> {
  let text = '';
  for await (const chunk of request) {
    text += (chunk as Buffer).toString('utf8');
    if (text.length > 4096) throw new Error('the form is too large');
  }
  return new URLSearchParams(text);
}
