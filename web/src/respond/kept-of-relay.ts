import { relaySchema, type Relay } from '@dewpost/contract';
import { computed, signal } from '@angular/core';
import type { AbstractControl } from '@angular/forms';
import { ApiError } from '../data/api';
import { placeProblem } from '../parts/zod-forms';

/** Something of an output that is kept version by version, while somebody edits it: how keeping it goes, and what somebody else was faster with. */
export class KeptOfRelay<T extends { readonly version: number }> {
  readonly busy = signal(false);
  readonly problem = signal<string | null>(null);
  /** What somebody else has put in force meanwhile; `null`: nothing. */
  readonly beaten = signal<T | null>(null);
  readonly theirVersion = computed(() => this.beaten()?.version ?? 0);
  /** The version that is being edited; 0: there was none. */
  private from: number;

  /** `partOf` gives it of an output as the server has it. */
  constructor(
    before: T | null,
    private readonly partOf: (relay: Relay) => T | null,
  ) {
    this.from = before?.version ?? 0;
  }

  /** Edits on from theirs; gives it. */
  takeTheirs(): T | null {
    const theirs = this.beaten();
    this.overTheirs();
    return theirs;
  }
  /** What is typed is to stand over theirs. */
  overTheirs(): void {
    this.from = this.beaten()?.version ?? this.from;
    this.beaten.set(null);
  }

  /** Sends it, in the place of the version that was edited; true once it is kept. What is refused stands at its field. */
  async keep(form: AbstractControl, send: ((from: number) => Promise<unknown>) | null): Promise<boolean> {
    this.problem.set(send === null ? 'Not kept: see the fields.' : null);
    if (send === null) return false;
    this.busy.set(true);
    try {
      await send(this.from);
      return true;
    } catch (error) {
      const relay = error instanceof ApiError && error.status === 409 ? relaySchema.safeParse(error.current) : null;
      const theirs = relay?.success ? this.partOf(relay.data) : null;
      if (theirs) this.beaten.set(theirs);
      else this.problem.set(placeProblem(form, error) ?? 'Not kept: see the fields.');
      return false;
    } finally {
      this.busy.set(false);
    }
  }
}
