import type { BenchStep, Firmware } from '@dewpost/contract';
import { listenForJoin, type JoinWatch } from '@dewpost/core/bench';
import {
  CHUNK_BYTES,
  decodeHeld,
  encodeBegin,
  encodeChunk,
  identitySchema,
  LinkError,
  SerialLink,
  type BytePort,
} from '@dewpost/core/serial';
import type { Boot } from '@dewpost/core/rom-loader';
import type { SerialLog } from '@dewpost/core/serial';
import type { NodeConfiguration } from '@dewpost/core/wire';
import { StepFailure } from './step-failure';

const JOIN_MS = 120_000;
export const LISTEN_ON_MS = 3000;

/** What one step came to. */
export interface StepDone {
  readonly detail: string;
  readonly hardwareId?: string;
}
/** What is told while a board is written. */
export interface WritingTells {
  /** Runs one step and keeps what came of it in the ledger. */
  step(step: BenchStep, act: () => Promise<StepDone>): Promise<void>;
  /** How far the image is written: share of it, bytes a second, seconds left. */
  written(share: number, rate: number, left: number): void;
  /** Until when the board takes settings, ms. */
  windowEnds(at: number): void;
  /** It erases, at most so long, ms; `null`: it is through. The board is silent meanwhile. */
  erasing(longestMs: number | null): void;
  /** It waits for a person to press a button; `null`: not any more. */
  hand(boot: Boot | null): void;
  line(line: SerialLog): void;
  /** The node had joined, and what came after it failed. Told once the join is in the ledger. */
  contactFailed(code: string, evidence: string): void;
}

export const after = (ms: number, run: () => void): (() => void) => {
  const timer = setTimeout(run, ms);
  return () => clearTimeout(timer);
};

/** Does a board that holds our loader answer at this port? Asked for a moment only: one fresh from the shop never will. */
export async function answersOurs(port: BytePort): Promise<boolean> {
  try {
    await new SerialLink(port, after, 700).request('identify');
    return true;
  } catch (error) {
    if (error instanceof LinkError && error.code === 'noAnswer') return false;
    throw error;
  }
}

/** Writes one board over its loader: looks whose it is, writes image and configuration, restarts it and listens how it joins. */
export async function writeOverSerial(
  bytes: BytePort,
  firmware: Firmware,
  image: Uint8Array,
  configuration: NodeConfiguration,
  tells: WritingTells,
): Promise<void> {
  const link = new SerialLink(bytes, after);
  const text = new TextEncoder();
  const join = watchJoin(
    link,
    configuration.networks.map(({ name }) => name),
    tells,
  );
  let holds = false;
  try {
    await tells.step('check', async () => {
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
      if (identity.windowSeconds !== null) tells.windowEnds(Date.now() + identity.windowSeconds * 1000);
      return { detail: `${identity.board}, ${identity.hardwareId}`, hardwareId: identity.hardwareId };
    });
    await tells.step('write', async () => {
      if (holds) return { detail: `holds firmware ${firmware.version} from the run before` };
      return { detail: await writeImage(link, firmware, image, tells) };
    });
    await tells.step('digest', async () => ({
      detail: holds ? 'proved in the run before' : `read back ${new TextDecoder().decode(await link.request('finish')).slice(0, 16)}`,
    }));
    await tells.step('configure', async () => {
      await link.request('configure', text.encode(JSON.stringify(configuration)));
      return { detail: 'configuration stored' };
    });
    const told = tells.step('join', async () => {
      join.restarted();
      await link.request('restart');
      return { detail: await join.joined };
    });
    join.inLedger(told);
    await told;
  } finally {
    // The log goes on for a moment: the broker's answer comes after the join.
    setTimeout(() => link.close(), LISTEN_ON_MS);
  }
}

/** Writes the image from where the board holds it already; gives what was written, in words. */
async function writeImage(link: SerialLink, firmware: Firmware, image: Uint8Array, tells: WritingTells): Promise<string> {
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
    tells.written(written / image.length, rate, (image.length - written) / rate);
  }
  return `${image.length} bytes, firmware ${firmware.version}${from > 0 ? `, from byte ${from} on` : ''}`;
}

interface JoinListener {
  /** From here on what is said is of what was written. */
  restarted(): void;
  /** Resolves with the line that says the node has joined; rejects with what kept it from it. */
  readonly joined: Promise<string>;
  /** Resolves once the join is in the ledger: what fails after it is told then. */
  inLedger(told: Promise<void>): void;
}

export function watchJoin(link: SerialLink, wanted: readonly string[], tells: WritingTells): JoinListener {
  let watch: JoinWatch | null = null;
  let ledger: Promise<void> = Promise.resolve();
  const joined = new Promise<string>((resolve, reject) => {
    link.onLog((line) => {
      tells.line(line);
      // What is said before the restart is of what ran before.
      if (watch === null) return;
      const [next, heard] = listenForJoin(watch, line);
      watch = next;
      if (heard.kind === 'joined') resolve(heard.evidence);
      else if (heard.kind === 'refused') reject(new StepFailure('join', heard.code, heard.evidence));
      // In the ledger's order: the join first.
      else if (heard.kind === 'no-contact') void ledger.then(() => tells.contactFailed(heard.code, heard.evidence));
    });
    setTimeout(() => reject(new StepFailure('join', 'no-join', 'joined nothing in 120 s')), JOIN_MS);
  });
  // When an earlier step fails nobody waits for the join any more.
  joined.catch(() => undefined);
  return {
    joined,
    restarted() {
      watch = { wanted, refused: [], isIn: false };
    },
    inLedger(told) {
      ledger = told;
    },
  };
}
