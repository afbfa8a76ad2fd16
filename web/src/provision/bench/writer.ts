import { provision, type Batch, type BenchStep, type Firmware, type Run } from '@dewpost/contract';
import { turnAt, waitsFor } from '@dewpost/core/bench';
import { LinkError } from '@dewpost/core/serial';
import type { NodeConfiguration } from '@dewpost/core/wire';
import { inject, Injectable, signal } from '@angular/core';
import { Api, ApiError, messageOf } from '../../data/api';
import { StandinsApi } from '../../shell/standins-api';
import { BatchHold, HELD_MS } from './batch-hold';
import { BoardPorts, FIRST_DEVICE } from './board-ports';
import { writeFresh, type Fresh } from './fresh-writing';
import { answersOurs, writeOverSerial, type StepDone, type WritingTells } from './serial-writing';
import { openStandinPort } from './standin-port';
import { StepFailure } from './step-failure';
import { serverWent, stubborn } from './stubborn';
import type { Job } from './job';
import { imageOf, reportStep } from './run-reports';
import { openSerialDevice, type SerialDevice } from './web-serial-port';

const LOOK_AGAIN_MS = 1000;
/** Lines of a board's log that are kept. */
const LINES_KEPT = 200;

/** Writes the queued nodes, as many at a time as there are ports; goes on while another page is shown. */
@Injectable({ providedIn: 'root' })
export class Writer {
  private readonly api = inject(Api);
  private readonly standins = inject(StandinsApi);
  readonly jobs = signal<ReadonlyMap<string, Job>>(new Map());
  readonly problem = signal<string | null>(null);
  private readonly hold = new BatchHold(this.api);
  /** Batches that this page works on, by number. */
  readonly batches = this.hold.batches.asReadonly();
  readonly paused = signal(false);
  private taken = false;
  /** Ports of this computer that a person gave, each for one board: the next board is asked for anew, so that none is written twice. */
  readonly devices = signal<ReadonlyMap<number, SerialDevice>>(new Map());
  /** Ports that a board can be chosen at. */
  readonly ports = signal<readonly number[]>([]);
  private nextDevice = FIRST_DEVICE;
  private readonly busyPorts = new Set<number>();
  private readonly boards = new BoardPorts();
  /** Ports at which boards of nodes sit that were begun and have not joined. */
  readonly boardAt = this.boards.at.asReadonly();
  private lookAgain: ReturnType<typeof setTimeout> | null = null;

  /** Begins a batch of nodes, with as many at once as there are free ports. `firmware` names images by board; the newest else. */
  async write(nodes: readonly string[], firmware: Readonly<Record<string, string>> = {}): Promise<void> {
    this.problem.set(null);
    let batch: Batch;
    try {
      batch = await this.hold.begin(nodes, firmware);
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
    const { taken, others } = await this.hold.takeUp();
    for (const batch of taken) {
      if (batch.state === 'paused') this.paused.set(true);
      this.queue(batch.nodes.filter((one) => one.result !== 'proved' && one.result !== 'stopped' && !settled(one.node)));
    }
    if (others) {
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
        erasing: null,
        hand: null,
        flash: null,
        log: [],
        failure: null,
      });
  }

  private async tellBatches(state: 'running' | 'paused' | 'cancelled'): Promise<void> {
    try {
      await this.hold.tell(state);
    } catch (error) {
      this.problem.set(messageOf(error));
    }
  }

  /** Takes a port of this computer for one board: that of `node`, or of whoever is next. */
  async addDevice(device: SerialDevice, node: string | null = null): Promise<void> {
    const id = this.nextDevice++;
    if (node !== null) this.boards.sits(node, id);
    this.devices.update((devices) => new Map(devices).set(id, device));
    await this.next();
  }

  /** Says at which port the board of a node is plugged in; `null`: at none any more, so that its port is anybody's and it goes to any. */
  async choosePort(node: string, port: number | null): Promise<void> {
    this.boards.sits(node, port);
    await this.next();
  }

  /** Looks which ports there are, to choose from. Without stand-ins there are none but those that a person gives. */
  async lookAtPorts(): Promise<void> {
    const found = await this.standins.ports().catch((error: unknown) => {
      if (error instanceof ApiError && error.status === 404) return [];
      throw error;
    });
    this.ports.set(found.map(({ id }) => id));
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
    const job = turnAt(port, this.jobs(), this.boardAt());
    if (!job) return;
    this.busyPorts.add(port);
    if (!this.devices().has(port)) this.boards.sits(job.node, port);
    this.change(job.node, { port });
    void this.work(job.node, port).finally(() => {
      this.busyPorts.delete(port);
      if (this.devices().has(port) && this.boardAt().get(job.node) === port) this.boards.sits(job.node, null);
      this.devices.update((devices) => new Map([...devices].filter(([id]) => id !== port)));
      void this.next();
    });
  }

  /** The gateway that a leaf waits for; `null`: it need not wait. */
  waitsFor(job: Job): string | null {
    return waitsFor(job, this.jobs());
  }

  private lookLater(): void {
    this.lookAgain ??= setTimeout(() => {
      this.lookAgain = null;
      void this.next();
    }, LOOK_AGAIN_MS);
  }

  private async work(node: string, port: number): Promise<void> {
    let run: Run | null = null;
    try {
      const begun = await stubborn(() => this.api.call(provision.begin, { body: { node } }));
      run = begun.run;
      this.change(node, { run: run.id, step: 'check' });
      await this.overSerial(node, port, run.id, begun);
      this.boards.sits(node, null);
      if (!this.jobs().get(node)?.failure) this.change(node, { step: 'contact' });
    } catch (error) {
      // The board that sits there is another's: this node looks for one of its own.
      if (error instanceof StepFailure && (error.code === 'board-known' || error.code === 'wrong-board')) this.boards.sits(node, null);
      // A port that went with the server comes back with it: the node goes on from where it was.
      if (run && error instanceof StepFailure && error.code === 'portLost' && !this.devices().has(port) && (await serverWent())) {
        this.change(node, { step: 'queued', port: null, run: null });
        this.lookLater();
        return;
      }
      const failure =
        error instanceof StepFailure
          ? { step: error.step, code: error.code, evidence: error.message }
          : { step: 'check' as const, code: 'other', evidence: messageOf(error) };
      this.change(node, { failure, step: 'over' });
      if (run) await reportStep(this.api, run.id, failure.step, 'failed', null, failure.evidence, failure.code).catch(() => undefined);
      else this.problem.set(failure.evidence);
    }
  }

  private async overSerial(
    node: string,
    port: number,
    run: number,
    { firmware, configuration, fresh }: { firmware: Firmware; configuration: NodeConfiguration; fresh: Fresh | null },
  ): Promise<void> {
    const device = this.devices().get(port);
    // Before the port is taken: an image that is gone leaves the board alone.
    const image = await imageOf(this.api, firmware);
    const bytes = await (device ? openSerialDevice(device) : openStandinPort(port, { board: firmware.board })).catch((error: unknown) => {
      throw new StepFailure('check', device ? 'port-taken' : 'noAnswer', messageOf(error));
    });
    const tells: WritingTells = {
      step: (step, act) => this.step(run, node, step, act),
      written: (written, rate, left) => this.change(node, { written, rate, left }),
      windowEnds: (windowEnds) => this.change(node, { windowEnds }),
      erasing: (longestMs) => this.change(node, { erasing: longestMs === null ? null : { since: Date.now(), longestMs } }),
      hand: (boot) => this.change(node, { hand: boot && { since: Date.now(), boot } }),
      line: (line) => this.change(node, { log: [...(this.jobs().get(node)?.log ?? []), line].slice(-LINES_KEPT) }),
      contactFailed: (code, evidence) => void this.contactFailed(node, run, code, evidence),
    };
    if (fresh === null || (await answersOurs(bytes))) return writeOverSerial(bytes, firmware, image, configuration, tells);
    if (fresh.firmware === null) {
      bytes.close();
      throw new StepFailure('check', 'no-first-image', `No image in parts for ${firmware.board} is in the library.`);
    }
    const first = fresh.firmware;
    const whole = await imageOf(this.api, first).catch((error: unknown) => {
      bytes.close();
      throw error;
    });
    this.change(node, { flash: { bytes: fresh.flashBytes, parts: first.parts ?? [], configuration: first.configuration } });
    return writeFresh(bytes, { ...fresh, firmware: first }, whole, configuration, tells);
  }

  private async contactFailed(node: string, run: number, code: string, evidence: string): Promise<void> {
    if (this.jobs().get(node)?.failure) return;
    this.change(node, { failure: { step: 'contact', code, evidence }, step: 'over' });
    // A node that has made contact after all has ended this run: the ledger knows better.
    await reportStep(this.api, run, 'contact', 'failed', null, evidence, code).catch(() => undefined);
  }

  private async step(run: number, node: string, step: BenchStep, act: () => Promise<StepDone>): Promise<void> {
    this.change(node, { step });
    const begun = performance.now();
    try {
      const { detail, hardwareId } = await act();
      await reportStep(this.api, run, step, 'done', performance.now() - begun, detail, null, hardwareId);
    } catch (error) {
      if (error instanceof StepFailure) throw error;
      if (error instanceof LinkError)
        throw new StepFailure(step, error.code, error.detail ? `${error.message} (${error.detail.slice(0, 80)})` : error.message);
      if (error instanceof ApiError && error.status === 409) throw new StepFailure(step, 'board-known', error.message);
      throw new StepFailure(step, 'other', messageOf(error));
    }
  }

  private put(job: Job): void {
    this.jobs.update((jobs) => new Map(jobs).set(job.node, job));
  }
  private change(node: string, part: Partial<Job>): void {
    const job = this.jobs().get(node);
    if (job) this.put({ ...job, ...part });
  }
}
