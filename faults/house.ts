import { readdirSync, readlinkSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { join } from 'node:path';
import pg from 'pg';
import { cluster } from '../scripts/lib/cluster.mjs';
import { freePort, output, SERVER, service } from '../scripts/lib/run.mjs';
import { Reporter } from './reporter';

export const seconds = (s: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, s * 1000));

/** Waits until this holds; says what did not come where it does not. */
export async function until(what: string, holds: () => boolean | Promise<boolean>, forSeconds = 60): Promise<void> {
  const end = Date.now() + forSeconds * 1000;
  while (!(await holds())) {
    if (Date.now() > end) throw new Error(`this did not come in ${forSeconds} s: ${what}`);
    await seconds(0.1);
  }
}

export interface Options {
  nodes: number;
  /** Where the database lies; in the campaign's own folder where it is not said. */
  databaseIn?: string;
  env?: Record<string, string>;
  /** Given to Node.js before the server's own arguments. */
  nodeArguments?: string[];
}

/** A house with a server process and a database of its own, nodes that report, and somebody's handset. */
export class House {
  readonly nodes: Reporter[] = [];
  /** Messages that reached the handset, by their ids, and how often each came. */
  readonly messages = new Map<string, { alert: number | null; times: number }>();
  address = '';
  private cookie = '';
  private process: ReturnType<typeof service> | null = null;

  private constructor(
    readonly postgres: ReturnType<typeof cluster>,
    readonly databaseFolder: string,
    private readonly env: Record<string, string>,
    private readonly handset: Server,
    private readonly options: Options,
  ) {}

  static async open(options: Options): Promise<House> {
    const directory = process.env['DEWPOST_FAULTS_DIR'] ?? '.data/faults';
    const databaseFolder = options.databaseIn ?? join(directory, 'pg');
    const postgres = cluster({ directory: databaseFolder, port: await freePort(), fixedPortVariable: undefined });
    const url = await postgres.start();
    await postgres.empty();
    const handset = createServer();
    await new Promise<void>((done) => handset.listen(0, '127.0.0.1', done));
    const handsetPort = (handset.address() as { port: number }).port;
    const env: Record<string, string> = {
      DATABASE_URL: url ?? '',
      DEWPOST_DATA_DIR: directory,
      DEWPOST_HTTP_PORT: String(await freePort()),
      DEWPOST_MQTT_PORT: String(await freePort()),
      DEWPOST_HANDSET_URL: `http://127.0.0.1:${handsetPort}/messages`,
      DEWPOST_LOG: 'silent',
      ...options.env,
    };
    const house = new House(postgres, databaseFolder, env, handset, options);
    handset.on('request', (request, response) => {
      let text = '';
      request.on('data', (data: Buffer) => (text += data.toString()));
      request.on('end', () => {
        const { id, alertId } = JSON.parse(text) as { id: string; alertId: number | null };
        house.messages.set(id, { alert: alertId, times: (house.messages.get(id)?.times ?? 0) + 1 });
        response.end('{}');
      });
    });
    await house.startServer();
    await output(process.execPath, ['server/dist/account.js', 'add', '--name', 'millwright', '--role', 'maker'], {
      env: { ...process.env, ...env, DEWPOST_PASSWORD: 'a long password' },
    });
    await house.signIn();
    for (let i = 1; i <= options.nodes; i++) await house.addNode(`faults-${i}`);
    return house;
  }

  get mqttPort(): number {
    return Number(this.env['DEWPOST_MQTT_PORT']);
  }
  get httpPort(): number {
    return Number(this.env['DEWPOST_HTTP_PORT']);
  }
  get pid(): number {
    return this.process?.child.pid ?? 0;
  }
  get running(): boolean {
    return this.process !== null && this.process.child.exitCode === null && this.process.child.signalCode === null;
  }

  async startServer(): Promise<void> {
    this.process = service([...(this.options.nodeArguments ?? []), ...SERVER], { env: this.env, ready: /listening (http:\S+) mqtt (\d+)/ });
    [, this.address = ''] = await this.process.started;
  }

  /** Ends the server at once, whatever it is doing. */
  async killServer(): Promise<void> {
    const { child } = this.process ?? {};
    if (!child || !this.running) throw new Error('the server had ended by itself');
    const gone = new Promise((done) => child.once('exit', done));
    child.kill('SIGKILL');
    await gone;
  }

  /** The processes of the database: their working directory is its folder. */
  databaseProcesses(): number[] {
    return readdirSync('/proc').flatMap((name) => {
      if (!/^\d+$/.test(name)) return [];
      try {
        return readlinkSync(`/proc/${name}/cwd`).includes(this.databaseFolder.replace(/^\.\//, '')) ? [Number(name)] : [];
      } catch {
        // Another's, or gone meanwhile.
        return [];
      }
    });
  }

  signalDatabase(signal: NodeJS.Signals): void {
    for (const pid of this.databaseProcesses()) {
      try {
        process.kill(pid, signal);
      } catch (error) {
        if ((error as NodeJS.ErrnoException).code !== 'ESRCH') throw error;
      }
    }
  }

  async call(method: string, path: string, body?: unknown): Promise<{ status: number; body: never }> {
    const answer = await fetch(this.address + path, {
      method,
      headers: { cookie: this.cookie, origin: this.address, ...(body !== undefined && { 'content-type': 'application/json' }) },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
    this.cookie ||= (answer.headers.getSetCookie()[0] ?? '').split(';')[0] ?? '';
    const text = await answer.text();
    return { status: answer.status, body: (text.startsWith('{') || text.startsWith('[') ? JSON.parse(text) : text) as never };
  }

  async status(path: string): Promise<number> {
    return fetch(this.address + path, { signal: AbortSignal.timeout(10_000) }).then(
      (answer) => answer.status,
      () => 0,
    );
  }

  /** What the database says to this, on a connection of its own. */
  async query<Row>(sql: string, values: unknown[] = []): Promise<Row[]> {
    const client = new pg.Client({ connectionString: this.env['DATABASE_URL'] });
    await client.connect();
    try {
      return (await client.query(sql, values)).rows as Row[];
    } finally {
      await client.end();
    }
  }

  async close(): Promise<void> {
    for (const node of this.nodes) await node.end();
    await this.process?.stop();
    this.handset.close();
    await this.postgres.destroy();
  }

  private async signIn(): Promise<void> {
    this.cookie = '';
    await this.call('POST', '/api/v1/session', { name: 'millwright', password: 'a long password' });
  }

  /** A node of the climate post, proved in place, with a threshold that switches its humidifier below 60 % and lets it go at 65 %. */
  private async addNode(id: string): Promise<void> {
    const made = (await this.call('POST', '/api/v1/nodes', { id, room: 'Workshop', buildSheet: 'climate-post' })).body as {
      key: string;
      points: { name: string; id: number }[];
    };
    const points = Object.fromEntries(made.points.map((point) => [point.name, point.id]));
    await this.query(`update node set fitted_at = now(), state = 'proved' where name = $1`, [id]);
    await this.call('POST', '/api/v1/thresholds', {
      point: points['humidity'],
      side: 'low',
      setpoint: 60,
      deadband: 5,
      onDelaySeconds: 0,
      offDelaySeconds: 0,
      severity: 'warning',
      confirm: 'readings',
      output: points['humidifier'],
    });
    this.nodes.push(new Reporter(id, made.key, points['humidity'] ?? 0, points['humidifier'] ?? 0));
  }

  /** The server as it is after a start, with its nodes connected and reporting: they were proved behind its back. */
  async begin(): Promise<void> {
    await this.killServer();
    await this.startServer();
    await Promise.all(this.nodes.map((node) => node.connect(this.mqttPort)));
  }
}
