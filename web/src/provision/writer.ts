import { provision, type Batch, type BenchStep, type Firmware, type Run } from '@dewpost/contract';
import { JOIN_CODES, joinCause, mostTelling, refusedNetwork, type JoinCode } from '@dewpost/core/joining';
import {
  CHUNK_BYTES,
  decodeHeld,
  encodeBegin,
  encodeChunk,
  identitySchema,
  LinkError,
  SerialLink,
  type SerialLog,
} from '@dewpost/core/serial';
import type { NodeConfiguration } from '@dewpost/core/wire';
import { inject, Injectable, signal } from '@angular/core';
import * as z from 'zod';
import { Api, ApiError, messageOf } from '../data/api';
import { StandinsApi } from '../shell/standins-api';
import { openStandinPort } from './standin-port';
import { openSerialDevice, type SerialDevice } from './web-serial-port';

/** One node on the bench. Steps seen by the server (contact, readings) are in the run, in the store. */
export interface Job {
  node: string;
  port: number | null;
  /** Its gateway, which is written before it; `null`: it has none. */
  after: string | null;
  run: number | null;
  step: BenchStep | 'queued' | 'over';
  /** Share of the image written, 0…1; its rate, bytes a second, once there is one; and seconds left. */
  written: number;
  rate: number | null;
  left: number | null;
  /** Until when the board takes settings (a gateway does in its first minutes only), ms; `null`: for ever. */
  windowEnds: number | null;
  log: SerialLog[];
  failure: { step: BenchStep; code: string; evidence: string } | null;
}

const JOIN_MS = 120_000;
const LISTEN_ON_MS = 3000;
/** Ports of this computer are numbered from here on, past the stand-ins'. */
const FIRST_DEVICE = 1001;
const HOLD_EVERY_MS = 8000;
/** How long a page's hold lasts after it is gone. */
const HELD_MS = 21_000;
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

const BOARDS_KEPT = 'dewpost.bench.boards';
const keptBoardsSchema = z.array(z.tuple([z.string(), z.number().int()]));

/** Which board sat at which port when this tab was read last; nothing where that cannot be read any more. */
function keptBoards(): ReadonlyMap<string, number> {
  const kept = sessionStorage.getItem(BOARDS_KEPT);
  if (kept === null) return new Map();
  try {
    return new Map(keptBoardsSchema.parse(JSON.parse(kept)));
  } catch {
    sessionStorage.removeItem(BOARDS_KEPT);
    return new Map();
  }
}

const after = (ms: number, run: () => void): (() => void) => {
  const timer = setTimeout(run, ms);
  return () => clearTimeout(timer);
};

const isJoinCode = (code: string | undefined): code is JoinCode => JOIN_CODES.some((known) => known === code);

/** A line of the log as evidence, with what was heard. */
function heardText({ text, heard }: SerialLog): string {
  const names = (heard ?? []).map(({ name, dbm }) => `"${name || 'hidden'}" ${dbm} dBm`);
  return names.length > 0 ? `${text}; heard ${names.join(', ')}` : text;
}

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
  /** Ports at which boards of nodes sit that were begun and have not joined. */
  readonly boardAt = signal<ReadonlyMap<string, number>>(keptBoards());
  /** Joins that are being told to the ledger, by node. */
  private readonly joins = new Map<string, Promise<void>>();
  private lookAgain: ReturnType<typeof setTimeout> | null = null;

  /** Begins a batch of nodes, with as many at once as there are free ports. `firmware` names images by board; the newest else. */
  async write(nodes: readonly string[], firmware: Readonly<Record<string, string>> = {}): Promise<void> {
    this.problem.set(null);
    let batch: Batch;
    try {
      batch = await this.api.call(provision.beginBatch, { body: { nodes: [...nodes], holder: this.holder, firmware: { ...firmware } } });
      this.hold(batch);
    } catch (error) {
      this.problem.set(messageOf(error));
      return;
    }
    this.queue(batch.nodes);
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
    let heldElsewhere = false;
    for (const { id } of open) {
      const batch = await this.api.call(provision.holdBatch, { params: { id }, body: { holder: this.holder } }).catch((error: unknown) => {
        // Another page is at it.
        if (error instanceof ApiError && error.status === 409) return null;
        throw error;
      });
      if (batch === null) heldElsewhere = true;
      if (!batch || (batch.state !== 'running' && batch.state !== 'paused')) continue;
      this.hold(batch);
      if (batch.state === 'paused') this.paused.set(true);
      this.queue(batch.nodes.filter((one) => one.result !== 'proved' && one.result !== 'stopped' && !settled(one.node)));
    }
    if (heldElsewhere) {
      // That page may have just been closed: its hold runs out by itself.
      setTimeout(() => {
        this.taken = false;
        this.takeUp(settled).catch((error: unknown) => this.problem.set(messageOf(error)));
      }, HELD_MS);
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

  private queue(nodes: readonly { node: string; gateway: string | null }[]): void {
    for (const { node, gateway } of nodes)
      this.put({
        node,
        port: null,
        after: gateway,
        run: null,
        step: 'queued',
        written: 0,
        rate: null,
        left: null,
        windowEnds: null,
        log: [],
        failure: null,
      });
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
      for (const port of await this.freePorts()) this.give(port.id);
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

  /** Lets whoever is next begin at a port. Another look may have taken it while this one asked. */
  private give(port: number): void {
    if (this.busyPorts.has(port)) return;
    const job = this.jobFor(port);
    if (!job) return;
    this.busyPorts.add(port);
    if (!this.devices().has(port)) this.sit(job.node, port);
    this.change(job.node, { port });
    void this.work(job.node, port).finally(() => {
      this.busyPorts.delete(port);
      this.devices.update((devices) => new Map([...devices].filter(([id]) => id !== port)));
      void this.next();
    });
  }

  /** Which board sits at which port outlives a reload of the page: a stopped one is still plugged in. */
  private sit(node: string, port: number | null): void {
    const next = new Map([...this.boardAt()].filter(([other]) => other !== node));
    if (port !== null) next.set(node, port);
    this.boardAt.set(next);
    sessionStorage.setItem(BOARDS_KEPT, JSON.stringify([...next]));
  }

  /** The board of this node was taken off its port: the port is anybody's again. */
  async release(node: string): Promise<void> {
    this.sit(node, null);
    await this.next();
  }

  /** Who is next at a port: the node whose board sits there from a run before; else, where no board sits, one that has none yet. */
  private jobFor(port: number): Job | undefined {
    const waiting = [...this.jobs().values()].filter((one) => one.step === 'queued' && one.port === null && !this.waitsFor(one));
    const boards = this.boardAt();
    const own = waiting.find((one) => boards.get(one.node) === port);
    // The board of another node sits there: writing it would make one board two nodes.
    const taken = [...boards.values()].includes(port);
    return own ?? (taken ? undefined : waiting.find((one) => !boards.has(one.node)));
  }

  /** The gateway that a leaf waits for: until it is on the network its leaf hears nothing. `null`: it need not wait. */
  waitsFor(job: Job): string | null {
    const gateway = job.after === null ? undefined : this.jobs().get(job.after);
    return gateway && gateway.step !== 'contact' && gateway.step !== 'over' ? gateway.node : null;
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
      const image = await this.imageOf(firmware);
      await this.overSerial(node, port, run.id, firmware, image, begun.configuration);
      this.sit(node, null);
      if (!this.jobs().get(node)?.failure) this.change(node, { step: 'contact' });
    } catch (error) {
      // The board that sits there is another's: this node looks for one of its own.
      if (error instanceof StepFailure && (error.code === 'board-known' || error.code === 'wrong-board')) this.sit(node, null);
      // A port that went with the server comes back with it: the node goes on from where it was.
      if (run && error instanceof StepFailure && error.code === 'portLost' && !this.devices().has(port) && (await this.serverWent())) {
        this.change(node, { step: 'queued', port: null, run: null });
        this.lookLater();
        return;
      }
      const failure =
        error instanceof StepFailure
          ? { step: error.step, code: error.code, evidence: error.message }
          : { step: 'check' as const, code: 'other', evidence: messageOf(error) };
      this.change(node, { failure, step: 'over' });
      if (run) await this.report(run.id, failure.step, 'failed', null, failure.evidence, failure.code).catch(() => undefined);
      else this.problem.set(failure.evidence);
    }
  }

  /** The bytes of an image, as many as the library says: an answer that is an error is never written to a board. */
  private async imageOf(firmware: Firmware): Promise<Uint8Array> {
    const answer = await stubborn(() => this.api.bytes(`/api/v1/firmware/${encodeURIComponent(firmware.id)}/image`)).catch(
      (error: unknown) => {
        throw new StepFailure('check', 'image-gone', messageOf(error));
      },
    );
    if (answer.length !== firmware.bytes)
      throw new StepFailure('check', 'image-gone', `The library sent ${answer.length} bytes of ${firmware.bytes}.`);
    return answer;
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
    const bytes = await (device ? openSerialDevice(device) : openStandinPort(port, firmware.board)).catch((error: unknown) => {
      throw new StepFailure('check', 'noAnswer', messageOf(error));
    });
    const link = new SerialLink(bytes, after);
    const wanted = configuration.networks.map(({ name }) => name);
    const joined = this.watchJoin(node, run, link, wanted);
    let holds = false;
    const text = new TextEncoder();
    try {
      await this.step(run, node, 'check', async () => {
        const identity = identitySchema.parse(JSON.parse(new TextDecoder().decode(await link.request('identify'))));
        if (identity.board !== firmware.board)
          throw new StepFailure('check', 'wrong-board', `It says it is a ${identity.board}; the image is for ${firmware.board}.`);
        if (image.length > identity.slotBytes)
          throw new LinkError('tooLarge', `The image has ${image.length} bytes, the slot ${identity.slotBytes}.`);
        // An older loader does not know how to blink; the board is bound by its id all the same.
        await link.request('blink').catch((error: unknown) => {
          if (!(error instanceof LinkError) || error.code === 'portLost') throw error;
        });
        holds = identity.holds === firmware.sha256;
        if (identity.windowSeconds !== null) this.change(node, { windowEnds: Date.now() + identity.windowSeconds * 1000 });
        return { detail: `${identity.board}, ${identity.hardwareId}`, hardwareId: identity.hardwareId };
      });
      await this.step(run, node, 'write', async () => {
        if (holds) return { detail: `holds firmware ${firmware.version} from the run before` };
        const sha256 = Uint8Array.from(firmware.sha256.match(/../g) ?? [], (pair) => parseInt(pair, 16));
        const answer = await link.request('begin', encodeBegin(image.length, sha256, firmware.version)).catch((error: unknown) => {
          // It answered a moment ago: what it does not come back from is the erasing.
          if (error instanceof LinkError && error.code === 'noAnswer') throw new StepFailure('write', 'stuck-erasing', error.message);
          throw error;
        });
        const from = Math.min(decodeHeld(answer), image.length);
        const begun = performance.now();
        for (let offset = from; offset < image.length; offset += CHUNK_BYTES) {
          await link.request('chunk', encodeChunk(offset, image.subarray(offset, offset + CHUNK_BYTES)));
          const written = Math.min(image.length, offset + CHUNK_BYTES);
          const rate = ((written - from) * 1000) / (performance.now() - begun);
          this.change(node, { written: written / image.length, rate, left: (image.length - written) / rate });
        }
        return { detail: `${image.length} bytes, firmware ${firmware.version}${from > 0 ? `, from byte ${from} on` : ''}` };
      });
      await this.step(run, node, 'digest', async () => ({
        detail: holds ? 'proved in the run before' : `read back ${new TextDecoder().decode(await link.request('finish')).slice(0, 16)}`,
      }));
      await this.step(run, node, 'configure', async () => {
        await link.request('configure', text.encode(JSON.stringify(configuration)));
        return { detail: 'configuration stored' };
      });
      const told = this.step(run, node, 'join', async () => {
        await link.request('restart');
        return { detail: await joined };
      });
      this.joins.set(node, told);
      await told;
    } finally {
      // The log goes on for a moment: the broker's answer comes after the join.
      setTimeout(() => link.close(), LISTEN_ON_MS);
    }
  }

  /**
   * Resolves with the line that says the node has joined; rejects with the cause of what kept it from it, once each of its
   * networks has refused it. What goes wrong after the join, on the way to the broker, is told as a failed first contact.
   */
  private watchJoin(node: string, run: number, link: SerialLink, wanted: readonly string[]): Promise<string> {
    const refused: StepFailure[] = [];
    let isIn = false;
    const joined = new Promise<string>((resolve, reject) => {
      link.onLog((line) => {
        this.change(node, { log: [...(this.jobs().get(node)?.log ?? []), line].slice(-200) });
        // What is said before the restart is of what ran before.
        if (this.jobs().get(node)?.step !== 'join' && !isIn) return;
        if (line.code === 'joined') {
          isIn = true;
          resolve(line.text);
        } else if (line.code === 'brown-out' || line.code === 'backing-off') reject(new StepFailure('join', line.code, line.text));
        else if (isJoinCode(line.code)) {
          const tried = refusedNetwork(line.text, wanted, refused.length);
          const cause = joinCause(line.code, tried === undefined ? [] : [tried], line.heard ?? []);
          if (isIn) {
            // In the ledger's order: the join first.
            void this.joins.get(node)?.then(() => this.contactFailed(node, run, cause, line.text));
            return;
          }
          refused.push(new StepFailure('join', cause, heardText(line)));
          // Networks refuse one after the other; what comes after them is for all.
          const ofNetwork = line.code === 'wrong-passphrase' || line.code === 'name-not-found' || line.code === 'weak-signal';
          if (!ofNetwork || refused.length >= wanted.length) reject(mostTelling(refused) ?? new StepFailure('join', cause, line.text));
        }
      });
      setTimeout(() => reject(new StepFailure('join', 'no-join', 'joined nothing in 120 s')), JOIN_MS);
    });
    // When an earlier step fails nobody waits for the join any more.
    joined.catch(() => undefined);
    return joined;
  }

  private async contactFailed(node: string, run: number, code: string, evidence: string): Promise<void> {
    if (this.jobs().get(node)?.failure) return;
    this.change(node, { failure: { step: 'contact', code, evidence }, step: 'over' });
    // A node that has made contact after all has ended this run: the ledger knows better.
    await this.report(run, 'contact', 'failed', null, evidence, code).catch(() => undefined);
  }

  /** Did the server go just now? Resolves with true once it is back; false where it never was away. */
  private async serverWent(): Promise<boolean> {
    const answers = (): Promise<boolean> =>
      fetch('/healthz').then(
        (answer) => answer.ok,
        () => false,
      );
    // The socket tells it first.
    await new Promise((resolve) => setTimeout(resolve, 300));
    if (await answers()) return false;
    for (let i = 0; i < STUBBORN_TRIES; i++) {
      await new Promise((resolve) => setTimeout(resolve, 1000));
      if (await answers()) return true;
    }
    return false;
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
