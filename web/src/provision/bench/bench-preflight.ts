import { provision } from '@dewpost/contract';
import { computed, inject, Injectable, resource, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../../data/api';
import { placeFeature } from '../../data/reducers';
import type { Looked } from './before-writing';
import { Writer } from './writer';

/** Looks at nodes before they are written, and begins those that may be. One a page. */
@Injectable()
export class BenchPreflight {
  private readonly api = inject(Api);
  private readonly writer = inject(Writer);
  private readonly place = inject(Store).selectSignal(placeFeature.selectPlaceState);
  /** What was looked at and asks for an answer; `null`: nothing. */
  readonly looked = signal<{ nodes: readonly string[]; found: readonly Looked[] } | null>(null);
  readonly looking = signal(false);
  readonly problem = signal<string | null>(null);
  /** Images chosen for the next batch, by board; a board left out gets its newest. */
  private readonly chosen = signal<Readonly<Record<string, string>>>({});
  private readonly library = resource({
    params: () => (this.place().me?.role === 'maker' ? true : undefined),
    loader: () => this.api.call(provision.firmware, {}),
  });
  /** Those that go into a slot: what is made of parts is for boards fresh from the shop. */
  readonly images = computed(() => (this.library.hasValue() ? this.library.value() : []).filter(({ parts }) => parts === null));
  async choose(board: string, image: string): Promise<void> {
    this.chosen.update((chosen) => ({ ...chosen, [board]: image }));
    await this.look(this.looked()?.nodes ?? []);
  }
  /** Looks at nodes and shows what was found, with the images that can be chosen. */
  async look(nodes: readonly string[]): Promise<void> {
    this.looking.set(true);
    this.problem.set(null);
    try {
      this.looked.set({ nodes, found: await this.find(nodes) });
    } catch (error) {
      this.problem.set(messageOf(error));
    }
    this.looking.set(false);
  }
  private async find(nodes: readonly string[]): Promise<Looked[]> {
    return (await this.api.call(provision.preflight, { body: { nodes: [...nodes], firmware: this.chosen() } })).map(
      ({ node, board, image, checks, firstWrite }): Looked => {
        if (firstWrite === 'written elsewhere') this.elsewhere.add(node);
        const wrong = checks.filter((check) => check.verdict !== 'pass');
        const worst = wrong.some((check) => check.verdict === 'fail') ? 'fail' : wrong.length > 0 ? 'warn' : 'pass';
        return { node, board, image, wrong, worst };
      },
    );
  }
  /** Looks before it writes: what fails is not written, what warns is asked. True: they were begun. */
  async write(nodes: readonly string[]): Promise<boolean> {
    this.looking.set(true);
    this.problem.set(null);
    try {
      const found = await this.find(nodes);
      // The same reminders were read at the first write of a node: only what was not yet agreed to is asked.
      const asked = found.filter((one) => one.worst === 'fail' || (one.worst === 'warn' && !this.agreed.has(one.node)));
      if (asked.length === 0) this.start(nodes);
      else this.looked.set({ nodes, found });
      return asked.length === 0;
    } catch (error) {
      this.problem.set(messageOf(error));
      return false;
    } finally {
      this.looking.set(false);
    }
  }
  /** Nodes whose warnings were read and agreed to on this page. */
  private readonly agreed = new Set<string>();
  /** Begins them; their warnings count as read. */
  start(nodes: readonly string[]): void {
    for (const node of nodes) this.agreed.add(node);
    this.looked.set(null);
    const elsewhere = nodes.filter((node) => this.elsewhere.has(node));
    const here = nodes.filter((node) => !this.elsewhere.has(node));
    if (here.length > 0) void this.writer.write(here, this.chosen());
    for (const node of elsewhere) void this.writeElsewhere(node);
  }
  /** Nodes whose boards another tool chain writes. */
  private readonly elsewhere = new Set<string>();
  /** Its run waits at Join: its configuration is exported, and the node comes by itself. */
  async writeElsewhere(node: string): Promise<void> {
    try {
      await this.api.call(provision.elsewhere, { body: { node } });
      this.problem.set(null);
    } catch (error) {
      this.problem.set(messageOf(error));
    }
  }
}
