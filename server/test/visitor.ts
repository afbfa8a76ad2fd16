/** An answer's body, untyped as a stranger to the API gets it. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any
export type Body = any;

export interface Answer {
  status: number;
  body: Body;
  headers: Headers;
}

/** Somebody at the API with a cookie jar. */
export class Visitor {
  private readonly cookies = new Map<string, string>();
  constructor(readonly base: string) {}

  async call(method: string, path: string, body?: unknown, headers: Record<string, string> = {}): Promise<Answer> {
    const answer = await fetch(this.base + path, {
      method,
      headers: {
        ...(body !== undefined && { 'content-type': 'application/json' }),
        ...(this.cookies.size > 0 && { cookie: this.cookie() }),
        ...headers,
      },
      body: body === undefined ? undefined : typeof body === 'string' ? body : JSON.stringify(body),
      redirect: 'manual',
    });
    for (const line of answer.headers.getSetCookie()) {
      const [pair = ''] = line.split(';');
      const [name = '', value = ''] = pair.split('=');
      this.cookies.set(name, value);
    }
    const text = await answer.text();
    return { status: answer.status, body: text.startsWith('{') || text.startsWith('[') ? JSON.parse(text) : text, headers: answer.headers };
  }
  cookie(): string {
    return [...this.cookies].map(([name, value]) => `${name}=${value}`).join('; ');
  }
  /** Puts over what is in force now. */
  async replace(path: string, body: object): Promise<Answer> {
    const { version } = (await this.get(path)).body as { version: number };
    return this.call('PUT', path, { from: version, ...body });
  }
  get = (path: string): Promise<Answer> => this.call('GET', path);
  post = (path: string, body: unknown): Promise<Answer> => this.call('POST', path, body);
}
