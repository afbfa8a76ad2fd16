import { provision, type Batch, type BenchStep, type Firmware, type Run } from '@dewpost/contract';
import { CHUNK_BYTES, encodeBegin, encodeChunk, identitySchema, LinkError, SerialLink, type SerialLog } from '@dewpost/core/serial';
import type { NodeConfiguration } from '@dewpost/core/wire';
import { inject, Injectable, signal } from '@angular/core';
import { Api, ApiError, messageOf } from '../data/api';
import { StandinsApi } from '../shell/standins-api';
import { openStandinPort } from './standin-port';
import { openSerialDevice, type SerialDevice } from './web-serial-port';

/** One node on the bench. Steps seen by the server (contact, readings) are in the run, in the store. */
export interface Job {
  node: string;
  port: number | null;
  run: number | null;
  step: BenchStep | 'queued' | 'over';
  /** Share of the image written, 0…1. */
  written: number;
  log: SerialLog[];
  failure: { step: BenchStep; code: string; evidence: string } | null;
}

const JOIN_MS = 120_000;
/** Ports of this computer are numbered from here on, past the stand-ins'. */
const FIRST_DEVICE = 1001;
const HOLD_EVERY_MS = 8000;
/** How long what was done is told to a server that does not answer: a restart takes seconds. */
const STUBBORN_TRIES = 60;

/** Does it again every second while the server does not answer. */
async function stubborn<T>(act: () => Promise<T>): Promise<T> {
  for (let attempt = 1; ; attempt++) {
    try {
      return await act();
    } catch (error) {
      if (!(error instanceof ApiError) || error.status !== 0 || attempt >= STUBBORN_TRIES) throw error;
      await new Promise((resolve) => setTimeout(resolve, 1000));
    }
  }
}

/** The name of this tab at the bench: stays when the page is read anew, and is gone with the tab. */
function holderName(): string {
  const known = sessionStorage.getItem('dewpost.bench');
  if (known) return known;
  const name = Array.from(crypto.getRandomValues(new Uint8Array(12)), (byte) => byte.toString(16).padStart(2, '0')).join('');
  sessionStorage.setItem('dewpost.bench', name);
  return name;
}

const after = (ms: number, run: () => void): (() => void) => {
  const timer = setTimeout(run, ms);
  return () => clearTimeout(timer);
};

class StepFailure extends Error {
  constructor(
    readonly step: BenchStep,
    readonly code: string,
    message: string,
  ) {
    super(message);
  }
}

/** Writes the queued nodes, as many at a time as there are ports; goes on while another page is shown. */
@Injectable({ providedIn: 'root' })
export class Writer {
  private readonly api = inject(Api);
  private readonly standins = inject(StandinsApi);
  readonly jobs = signal<ReadonlyMap<string, Job>>(new Map());
  readonly problem = signal<string | null>(null);
  /** Batches that this page works on, by number. */
  readonly batches = signal<ReadonlyMap<number, Batch>>(new Map());
  readonly paused = signal(false);
  private readonly holder = holderName();
  private holding: ReturnType<typeof setInterval> | null = null;
  private taken = false;
  /** Ports of this computer that a person gave, each for one board: the next board is asked for anew, so that none is written twice. */
  readonly devices = signal<ReadonlyMap<number, SerialDevice>>(new Map());
  private nextDevice = FIRST_DEVICE;
  private readonly busyPorts = new Set<number>();
  private lookAgain: ReturnType<typeof setTimeout> | null = null;

  /** Begins a batch of nodes, with as many at once as there are free ports. */
  async write(nodes: readonly string[]): Promise<void> {
    this.problem.set(null);
    try {
      this.hold(await this.api.call(provision.beginBatch, { body: { nodes: [...nodes], holder: this.holder } }));
    } catch (error) {
      this.problem.set(messageOf(error));
      return;
    }
    this.queue(nodes);
    await this.next();
  }

  /**
   * Takes up what was begun before this page was read anew, or what a page that is gone has left: the nodes that are not yet
   * proved are written again from the start. `settled` tells of a node that it is through, or only waits for its readings.
   */
  async takeUp(settled: (node: string) => boolean): Promise<void> {
    if (this.taken) return;
    this.taken = true;
    const open = (await this.api.call(provision.batches, {})).filter((batch) => batch.state === 'running' || batch.state === 'paused');
    for (const { id } of open) {
      const batch = await this.api.call(provision.holdBatch, { params: { id }, body: { holder: this.holder } }).catch((error: unknown) => {
        // Another page is at it.
        if (error instanceof ApiError && error.status === 409) return null;
        throw error;
      });
      if (!batch || (batch.state !== 'running' && batch.state !== 'paused')) continue;
      this.hold(batch);
      if (batch.state === 'paused') this.paused.set(true);
      this.queue(
        batch.nodes.filter((one) => one.result !== 'proved' && one.result !== 'stopped' && !settled(one.node)).map((one) => one.node),
      );
    }
    await this.next();
  }

  /** No further node is begun; what is under way goes on. */
  async pause(on: boolean): Promise<void> {
    this.paused.set(on);
    await this.tellBatches(on ? 'paused' : 'running');
    if (!on) await this.next();
  }

  /** What waits is taken off; what is under way goes on. */
  async cancel(): Promise<void> {
    this.paused.set(false);
    this.jobs.update((jobs) => new Map([...jobs].filter(([, job]) => job.step !== 'queued' || job.port !== null)));
    await this.tellBatches('cancelled');
  }

  private queue(nodes: readonly string[]): void {
    for (const node of nodes) this.put({ node, port: null, run: null, step: 'queued', written: 0, log: [], failure: null });
  }

  private hold(batch: Batch): void {
    this.batches.update((batches) => new Map(batches).set(batch.id, batch));
    this.holding ??= setInterval(() => void this.holdAll(), HOLD_EVERY_MS);
  }

  private async holdAll(): Promise<void> {
    for (const { id } of this.batches().values()) {
      // A server that does not answer is asked again the next time; a batch that is another's, or over, is let go.
      const batch = await this.api
        .call(provision.holdBatch, { params: { id }, body: { holder: this.holder } })
        .catch((error: unknown) => (error instanceof ApiError && error.status === 409 ? null : undefined));
      if (batch === undefined) continue;
      const over = batch === null || batch.state === 'done' || batch.state === 'cancelled';
      this.batches.update((batches) => {
        const next = new Map(batches);
        if (over) next.delete(id);
        else next.set(id, batch);
        return next;
      });
    }
    if (this.batches().size > 0 || !this.holding) return;
    clearInterval(this.holding);
    this.holding = null;
  }

  private async tellBatches(state: 'running' | 'paused' | 'cancelled'): Promise<void> {
    try {
      for (const { id } of this.batches().values())
        await this.api.call(provision.setBatch, { params: { id }, body: { holder: this.holder, state } });
      await this.holdAll();
    } catch (error) {
      this.problem.set(messageOf(error));
    }
  }

  /** Takes a port of this computer for one board. */
  async addDevice(device: SerialDevice): Promise<void> {
    const id = this.nextDevice++;
    this.devices.update((devices) => new Map(devices).set(id, device));
    await this.next();
  }

  /** Ports with a board that waits: those of this computer first, then the stand-ins', where there are any. */
  private async freePorts(): Promise<{ id: number }[]> {
    const own = [...this.devices().keys()].map((id) => ({ id }));
    const others = await this.standins.ports().catch((error: unknown) => {
      // Without stand-ins there is nothing at their address; a port of one's own is enough.
      if (own.length > 0 || (error instanceof ApiError && error.status === 404)) return [];
      throw error;
    });
    return [...own, ...others.filter((port) => !port.open)].filter((port) => !this.busyPorts.has(port.id));
  }

  private async next(): Promise<void> {
    if (this.paused()) return;
    try {
      for (const port of await this.freePorts()) {
        const job = [...this.jobs().values()].find((one) => one.step === 'queued' && one.port === null);
        if (!job) return;
        this.busyPorts.add(port.id);
        this.change(job.node, { port: port.id });
        void this.work(job.node, port.id).finally(() => {
          this.busyPorts.delete(port.id);
          this.devices.update((devices) => new Map([...devices].filter(([id]) => id !== port.id)));
          void this.next();
        });
      }
      // A port stays open for a moment after its board has joined: what still waits looks again.
      const waits = [...this.jobs().values()].some((one) => one.step === 'queued' && one.port === null);
      if (waits) this.lookLater();
      this.problem.set(null);
    } catch (error) {
      this.problem.set(`No port can be used: ${messageOf(error)}`);
      // A server that is on its way back is asked again.
      this.lookLater();
    }
  }

  private lookLater(): void {
    this.lookAgain ??= setTimeout(() => {
      this.lookAgain = null;
      void this.next();
    }, 1000);
  }

  private async work(node: string, port: number): Promise<void> {
    let run: Run | null = null;
    try {
      const begun = await stubborn(() => this.api.call(provision.begin, { body: { node } }));
      const { firmware } = begun;
      run = begun.run;
      this.change(node, { run: run.id, step: 'check' });
      const image = new Uint8Array(await (await fetch(`/api/v1/firmware/${firmware.id}/image`)).arrayBuffer());
      await this.overSerial(node, port, run.id, firmware, image, begun.configuration);
      this.change(node, { step: 'contact' });
    } catch (error) {
      const failure =
        error instanceof StepFailure
          ? { step: error.step, code: error.code, evidence: error.message }
          : { step: 'check' as const, code: 'other', evidence: messageOf(error) };
      this.change(node, { failure, step: 'over' });
      if (run) await this.report(run.id, failure.step, 'failed', null, failure.evidence, failure.code).catch(() => undefined);
      else this.problem.set(failure.evidence);
    }
  }

  private async overSerial(
    node: string,
    port: number,
    run: number,
    firmware: Firmware,
    image: Uint8Array,
    configuration: NodeConfiguration,
  ): Promise<void> {
    const device = this.devices().get(port);
    const bytes = await (device ? openSerialDevice(device) : openStandinPort(port)).catch((error: unknown) => {
      throw new StepFailure('check', 'noAnswer', messageOf(error));
    });
    const link = new SerialLink(bytes, after);
    const joined = this.watchJoin(node, link, configuration.networks.length);
    const text = new TextEncoder();
    try {
      await this.step(run, node, 'check', async () => {
        const identity = identitySchema.parse(JSON.parse(new TextDecoder().decode(await link.request('identify'))));
        if (image.length > identity.slotBytes)
          throw new LinkError('tooLarge', `The image has ${image.length} bytes, the slot ${identity.slotBytes}.`);
        return { detail: `${identity.board}, ${identity.hardwareId}`, hardwareId: identity.hardwareId };
      });
      await this.step(run, node, 'write', async () => {
        const sha256 = Uint8Array.from(firmware.sha256.match(/../g) ?? [], (pair) => parseInt(pair, 16));
        await link.request('begin', encodeBegin(image.length, sha256, firmware.version));
        for (let offset = 0; offset < image.length; offset += CHUNK_BYTES) {
          await link.request('chunk', encodeChunk(offset, image.subarray(offset, offset + CHUNK_BYTES)));
          this.change(node, { written: Math.min(1, (offset + CHUNK_BYTES) / image.length) });
        }
        return { detail: `${image.length} bytes, firmware ${firmware.version}` };
      });
      await this.step(run, node, 'digest', async () => ({
        detail: `read back ${new TextDecoder().decode(await link.request('finish')).slice(0, 16)}`,
      }));
      await this.step(run, node, 'configure', async () => {
        await link.request('configure', text.encode(JSON.stringify(configuration)));
        return { detail: 'configuration stored' };
      });
      await this.step(run, node, 'join', async () => {
        await link.request('restart');
        return { detail: await joined };
      });
    } finally {
      // The log goes on for a moment: the broker's answer comes after the join.
      setTimeout(() => link.close(), 3000);
    }
  }

  /**
   * Resolves with the line that says the node has joined; rejects with the code of what kept it from it, once each of its
   * networks has refused it. A wrong passphrase tells more than a name that is not heard.
   */
  private watchJoin(node: string, link: SerialLink, networks: number): Promise<string> {
    const refused: StepFailure[] = [];
    const joined = new Promise<string>((resolve, reject) => {
      link.onLog((line) => {
        this.change(node, { log: [...(this.jobs().get(node)?.log ?? []), line].slice(-200) });
        if (line.code === 'joined') resolve(line.text);
        else if (line.code && line.code !== 'digest-mismatch') {
          refused.push(new StepFailure('join', line.code, line.text));
          const ofNetwork = line.code === 'wrong-passphrase' || line.code === 'name-not-found';
          if (!ofNetwork || refused.length >= networks)
            reject(refused.find((one) => one.code === 'wrong-passphrase') ?? (refused[0] as StepFailure));
        }
      });
      setTimeout(() => reject(new StepFailure('join', 'no-join', 'joined nothing in 120 s')), JOIN_MS);
    });
    // When an earlier step fails nobody waits for the join any more.
    joined.catch(() => undefined);
    return joined;
  }

  private async step(
    run: number,
    node: string,
    step: BenchStep,
    act: () => Promise<{ detail: string; hardwareId?: string }>,
  ): Promise<void> {
    this.change(node, { step });
    const begun = performance.now();
    try {
      const { detail, hardwareId } = await act();
      await this.report(run, step, 'done', performance.now() - begun, detail, null, hardwareId);
    } catch (error) {
      if (error instanceof StepFailure) throw error;
      if (error instanceof LinkError)
        throw new StepFailure(step, error.code, error.detail ? `${error.message} (${error.detail.slice(0, 80)})` : error.message);
      if (error instanceof ApiError && error.status === 409) throw new StepFailure(step, 'board-known', error.message);
      throw new StepFailure(step, 'other', messageOf(error));
    }
  }

  private async report(
    run: number,
    step: BenchStep,
    state: 'done' | 'failed',
    ms: number | null,
    detail: string,
    code: string | null,
    hardwareId?: string,
  ): Promise<void> {
    await stubborn(() =>
      this.api.call(provision.step, {
        params: { id: run },
        body: { step, state, ms, detail, code, ...(hardwareId && { hardwareId }) },
      }),
    );
  }

  private put(job: Job): void {
    this.jobs.update((jobs) => new Map(jobs).set(job.node, job));
  }
  private change(node: string, part: Partial<Job>): void {
    const job = this.jobs().get(node);
    if (job) this.put({ ...job, ...part });
  }
}
