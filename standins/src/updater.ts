import { signedText, type Manifest } from '@dewpost/core/firmware';
import type { AirMishap } from '@dewpost/core/mishaps';
import {
  bootFrom,
  copyOf,
  encodeMark,
  keepTrial,
  MARK_BYTES,
  offerProblem,
  otherSlot,
  putOnTrial,
  readMark,
  writableSlot,
  type SlotMark,
} from '@dewpost/core/update';
import type { Offer, UpdateReport } from '@dewpost/core/wire';
import { createHash, createPublicKey, verify } from 'node:crypto';

/** An image in a slot. Only what it is stays; its bytes are needed while it is fetched. */
export interface SlotContent {
  firmware: string;
  sha256: string;
  whole: boolean;
  /** The offer it came with. */
  offer: string;
  /** Boots, and never reports in. */
  mute: boolean;
  /** It was on trial and did not report in: under the same offer it is not tried again. */
  failed: boolean;
}

/** The two slots of a board and its marks, as its flash holds them. */
export interface Flash {
  copies: [Uint8Array, Uint8Array];
  slots: [SlotContent | null, SlotContent | null];
}

export const factoryFlash = (firmware: string, sha256: string): Flash => ({
  copies: [new Uint8Array(MARK_BYTES), new Uint8Array(MARK_BYTES)],
  slots: [{ firmware, sha256, whole: true, offer: '', mute: false, failed: false }, null],
});

/** What stands before the 32 bytes of an Ed25519 key. Source: RFC 8410 §4. */
/** What one slot of a stand-in board holds. */
export const SLOT_BYTES = 1_310_720;
const SPKI = Buffer.from('302a300506032b6570032100', 'hex');
const PART_BYTES = 16 * 1024;
const FETCH_TRIES = 60;

/** Does one of these keys (Base64) sign this manifest? */
export function signatureHolds(manifest: Manifest, trustedKeys: readonly string[]): boolean {
  const { signature } = manifest;
  if (signature === null) return false;
  const text = Buffer.from(signedText(manifest));
  return trustedKeys.some((key) => {
    const publicKey = createPublicKey({ key: Buffer.concat([SPKI, Buffer.from(key, 'base64')]), format: 'der', type: 'spki' });
    return verify(null, text, publicKey, Buffer.from(signature, 'base64'));
  });
}

/**
 * A node's own part in an update over the air: fetches by ranges and goes on where it was, proves digest and signature, puts the
 * image on trial, keeps it when it has reported in, and otherwise falls back. It cannot be talked into erasing the image that works.
 */
export class Updater {
  private fetching: { sha256: string; buffer: Buffer; filled: number } | null = null;
  private stopped = false;
  private busy: string | null = null;
  private refused: string | null = null;
  private trialTimer: NodeJS.Timeout | null = null;

  constructor(
    readonly flash: Flash,
    private readonly parts: {
      board: string;
      slotBytes: number;
      trialMs: number;
      hasOutputs: boolean;
      trustedKeys: () => readonly string[];
      key: () => string;
      brokerHost: string;
      mishap: () => AirMishap;
      report(report: UpdateReport): void;
      /** Outputs fail-safe and the second radio off, before anything is written; gives what became of that radio. */
      makeSafe(): 'off' | 'none';
      /** The board starts anew; `why` is its reset reason. */
      restart(why: string): void;
      /** The supply goes, and comes back after a while. */
      losePower(): void;
      keep(): void;
    },
  ) {}

  get running(): SlotContent {
    const { slot } = this;
    const content = this.flash.slots[slot];
    if (!content) throw new Error('a slot without an image was started');
    return content;
  }
  private slot: 0 | 1 = 0;
  private onTrial = false;
  /** This start is the one after a trial that did not report in. */
  private fell = false;
  private wasCut: string | null = null;
  private offerId = '';

  /** The loader's choice at a start. */
  boot(): void {
    this.stopped = false;
    const mark = readMark(this.flash.copies);
    const { slot, write } = bootFrom(mark);
    if (write) this.write(write);
    this.slot = slot;
    this.onTrial = slot !== mark.good;
    this.fell = mark.trial && !this.onTrial;
    const spare = this.flash.slots[otherSlot(slot)];
    if (this.fell && spare) {
      // Known from here on: the house may tell it the same offer again before its own word gets out.
      spare.failed = true;
      this.parts.keep();
    }
    if (!this.onTrial) return;
    // What has not reported in by then is started anew by the watchdog: a second try, then the good one.
    this.trialTimer = setTimeout(() => {
      if (this.onTrial) this.parts.restart('watchdog: the new image did not report in');
    }, this.parts.trialMs);
  }

  halt(): void {
    this.stopped = true;
    this.busy = null;
    if (this.trialTimer) clearTimeout(this.trialTimer);
  }

  /** The node has reported in: connected, and heard. */
  reportedIn(): void {
    if (!this.onTrial || this.running.mute) return;
    if (this.trialTimer) clearTimeout(this.trialTimer);
    this.onTrial = false;
    this.write(keepTrial(readMark(this.flash.copies)));
    this.parts.report({ sha256: this.running.sha256, state: 'kept' });
  }

  /** Is the image that runs one that never gets a word out? */
  get mute(): boolean {
    return this.onTrial && this.running.mute;
  }

  /** What `set` says it shall run; `null`: what it runs. */
  async told(offer: Offer | null): Promise<void> {
    const sha256 = offer?.manifest.sha256 ?? null;
    if (offer === null || sha256 === null || sha256 === this.running.sha256) {
      this.busy = null;
      return;
    }
    const failed = this.flash.slots.some((content) => content?.failed && content.offer === offer.id);
    if (this.busy === sha256 || this.refused === offer.id || failed || this.onTrial) return;
    this.offerId = offer.id;
    this.busy = sha256;
    try {
      await this.take(offer, sha256);
    } catch (error) {
      if (this.busy === sha256) this.refuse(sha256, error instanceof Error ? error.message : String(error));
    }
  }

  private async take(offer: Offer, sha256: string): Promise<void> {
    const { manifest } = offer;
    const problem = offerProblem(manifest, {
      board: this.parts.board,
      slotBytes: this.parts.slotBytes,
      hasOutputs: this.parts.hasOutputs,
      signatureHolds: signatureHolds(manifest, this.parts.trustedKeys()),
    });
    if (problem) return this.refuse(sha256, problem);
    // The key goes to nobody but the house it belongs to.
    if (new URL(offer.from).hostname !== this.parts.brokerHost)
      return this.refuse(sha256, 'the image lies at another address than the broker');
    this.parts.report({ sha256, state: 'safe', secondRadio: this.parts.makeSafe() });
    const mark = readMark(this.flash.copies);
    const spare = this.flash.slots[otherSlot(mark.good)];
    // The image before still lies in the spare slot: nothing needs fetching to go back.
    if (spare?.whole && spare.sha256 === sha256) {
      spare.offer = offer.id;
      spare.failed = false;
      spare.mute = this.parts.mishap() === 'never-reports';
      return this.trial(mark, sha256);
    }

    const slot = writableSlot(mark);
    if (slot === null) return this.refuse(sha256, 'another image is on trial');
    const firmware = `${manifest.name} ${manifest.version}`;
    if (this.fetching?.sha256 !== sha256) {
      this.flash.slots[slot] = { firmware, sha256, whole: false, offer: offer.id, mute: false, failed: false };
      this.parts.keep();
      if (this.cut('power-lost-erasing')) return;
      this.fetching = { sha256, buffer: Buffer.alloc(manifest.bytes), filled: 0 };
    }
    const { fetching } = this;
    await this.fetchAll(offer, fetching, manifest.bytes);
    if (this.stopped || this.busy !== sha256) return;
    if (this.parts.mishap() === 'bit-flip') fetching.buffer[fetching.filled >> 1]! ^= 4;
    const found = createHash('sha256').update(fetching.buffer).digest('hex');
    if (found !== sha256) {
      this.fetching = null;
      return this.refuse(sha256, `digest of what was fetched is ${found.slice(0, 16)}: cut short, or damaged on the way`);
    }
    const mute = this.parts.mishap() === 'never-reports';
    this.flash.slots[slot] = { firmware, sha256, whole: true, offer: offer.id, mute, failed: false };
    this.fetching = null;
    this.parts.report({ sha256, state: 'proved' });
    this.parts.keep();
    if (this.cut('power-lost-proved')) return;
    await this.trial(mark, sha256);
  }

  private async fetchAll(offer: Offer, fetching: { buffer: Buffer; filled: number; sha256: string }, bytes: number): Promise<void> {
    let failures = 0;
    while (fetching.filled < bytes) {
      if (this.stopped || this.busy !== fetching.sha256) return;
      const last = Math.min(bytes, fetching.filled + PART_BYTES) - 1;
      const part = await fetch(offer.from, {
        headers: { authorization: `Bearer ${this.parts.key()}`, range: `bytes=${fetching.filled}-${last}` },
        signal: AbortSignal.timeout(10_000),
      }).then(
        async (answer) => (answer.status === 206 ? Buffer.from(await answer.arrayBuffer()) : null),
        () => null,
      );
      if (!part || part.length === 0) {
        if (++failures > FETCH_TRIES) throw new Error('the image could not be fetched');
        await new Promise((resolve) => setTimeout(resolve, 1000));
        continue;
      }
      failures = 0;
      part.copy(fetching.buffer, fetching.filled);
      fetching.filled += part.length;
      this.parts.report({ sha256: fetching.sha256, state: 'fetching', bytes: fetching.filled });
      if (fetching.filled > bytes / 2) {
        if (this.parts.mishap() === 'cut-short') fetching.filled = bytes;
        else if (this.cut('power-lost-fetching')) return;
      }
    }
  }

  private async trial(mark: SlotMark, sha256: string): Promise<void> {
    this.parts.report({ sha256, state: 'starting' });
    // The word goes out before the link does.
    await new Promise((resolve) => setTimeout(resolve, 200));
    if (this.stopped || this.busy !== sha256) return;
    this.write(putOnTrial(mark));
    if (this.cut('power-lost-starting')) return;
    this.parts.restart('update over the air');
  }

  /** The supply goes at this step, once for this image. */
  private cut(step: AirMishap): boolean {
    if (this.parts.mishap() !== step || this.wasCut === this.busy) return false;
    this.wasCut = this.busy;
    this.parts.losePower();
    return true;
  }

  private refuse(sha256: string, why: string): void {
    this.busy = null;
    this.refused = this.offerId;
    this.parts.report({ sha256, state: 'refused', why: why.slice(0, 200) });
  }

  /** To be said after the start at which it fell back; the image that failed is not tried again by itself. */
  fellBack(): UpdateReport | null {
    const spare = this.flash.slots[otherSlot(this.slot)];
    if (!this.fell || !spare) return null;
    this.fell = false;
    return { sha256: spare.sha256, state: 'fell-back', why: 'the new image did not report in' };
  }

  private write(mark: SlotMark): void {
    this.flash.copies[copyOf(mark)].set(encodeMark(mark));
    this.parts.keep();
  }
}
