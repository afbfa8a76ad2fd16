import { provision, type Batch } from '@dewpost/contract';
import { signal } from '@angular/core';
import { ApiError, type Api } from '../../data/api';

const HOLD_EVERY_MS = 8000;
/** How long a page's hold lasts after it is gone, ms. */
export const HELD_MS = 21_000;

/** The name of this tab at the bench: stays when the page is read anew, and is gone with the tab. */
function holderName(): string {
  const known = sessionStorage.getItem('dewpost.bench');
  if (known) return known;
  const name = Array.from(crypto.getRandomValues(new Uint8Array(12)), (byte) => byte.toString(16).padStart(2, '0')).join('');
  sessionStorage.setItem('dewpost.bench', name);
  return name;
}

const isOpen = ({ state }: Batch): boolean => state === 'running' || state === 'paused';
const isAnothers = (error: unknown): boolean => error instanceof ApiError && error.status === 409;

/** Batches that this page works on. One page holds a batch at a time; its hold is told again every few seconds, and runs out with the page. */
export class BatchHold {
  readonly batches = signal<ReadonlyMap<number, Batch>>(new Map());
  private readonly holder = holderName();
  private timer: ReturnType<typeof setInterval> | null = null;

  constructor(private readonly api: Api) {}

  /** Begins a batch of these nodes, held by this page. */
  async begin(nodes: readonly string[], firmware: Readonly<Record<string, string>>): Promise<Batch> {
    const batch = await this.api.call(provision.beginBatch, {
      body: { nodes: [...nodes], holder: this.holder, firmware: { ...firmware } },
    });
    this.keep(batch);
    return batch;
  }

  /** Takes up what stands open and is nobody else's. `others`: a batch is held by another page. */
  async takeUp(): Promise<{ taken: readonly Batch[]; others: boolean }> {
    const taken: Batch[] = [];
    let others = false;
    for (const { id } of (await this.api.call(provision.batches, {})).filter(isOpen)) {
      const batch = await this.hold(id).catch((error: unknown) => {
        if (isAnothers(error)) return null;
        throw error;
      });
      if (batch === null) others = true;
      if (!batch || !isOpen(batch)) continue;
      this.keep(batch);
      taken.push(batch);
    }
    return { taken, others };
  }

  /** Says of all that are held how they go on. */
  async tell(state: 'running' | 'paused' | 'cancelled'): Promise<void> {
    for (const { id } of this.batches().values())
      await this.api.call(provision.setBatch, { params: { id }, body: { holder: this.holder, state } });
    await this.holdAll();
  }

  private hold(id: number): Promise<Batch> {
    return this.api.call(provision.holdBatch, { params: { id }, body: { holder: this.holder } });
  }
  private keep(batch: Batch): void {
    this.batches.update((batches) => new Map(batches).set(batch.id, batch));
    this.timer ??= setInterval(() => void this.holdAll(), HOLD_EVERY_MS);
  }
  private async holdAll(): Promise<void> {
    for (const { id } of this.batches().values()) {
      // A server that does not answer is asked again the next time; a batch that is another's, or over, is let go.
      const batch = await this.hold(id).catch((error: unknown) => (isAnothers(error) ? null : undefined));
      if (batch === undefined) continue;
      const over = batch === null || !isOpen(batch);
      this.batches.update((batches) => {
        const next = new Map(batches);
        if (over) next.delete(id);
        else next.set(id, batch);
        return next;
      });
    }
    if (this.batches().size > 0 || !this.timer) return;
    clearInterval(this.timer);
    this.timer = null;
  }
}
