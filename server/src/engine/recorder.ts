import type { LiveEvent } from '@dewpost/contract';
import type { Hub } from '../events/hub';
import type { Outbox } from '../outbox/outbox';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { runWithin, type Statement } from '../database/prepared';
import { Outcome, type Change, type Store } from '../store/change';
import { RowIds } from '../store/row-ids';
import type { Draft } from './draft';
import type { Effect } from './effects';
import { Ledger, type Recorded } from './ledger';
import type { WayRule } from './messages';
import { settleOutputs } from './settle';
import type { ShelfBook } from './shelf';
import type { Routes } from './telling';
import { Writes } from './writes';

/** What a piece of work has decided, at `now` (ms). */
export interface Decided {
  draft: Draft;
  effects: readonly Effect[];
  now: number;
  /** Since when this server has listened without a gap, ms. */
  listeningSince: number;
  /** Outputs whose state has changed by other things than effects. */
  changed?: readonly PointEntry[];
  /** What the same statement writes besides. */
  writes?: Writes;
  /** Events that are told first. */
  first?: () => readonly LiveEvent[];
}

/** Records what the engine decided, with the outputs settled after it: one statement, and what follows from it once it is committed. */
export class Recorder {
  readonly ids: RowIds;

  constructor(
    private readonly parts: {
      store: Store;
      registry: Registry;
      hub: Hub;
      outbox: Outbox;
      shard: number;
      handsetUrl: string | null;
      ways(): readonly WayRule[];
      routes: Routes;
      shelves: ShelfBook;
    },
  ) {
    this.ids = new RowIds(parts.store.database);
  }

  /** Within a change of others. */
  async record(change: Change, decided: Decided): Promise<void> {
    const statement = await this.decide(decided, change);
    if (statement) await runWithin(change.trx, statement);
  }

  /** As a change of its own; the draft is kept with it. `follow` says what else follows from it. */
  async recordAlone(decided: Decided, follow: (outcome: Outcome) => void = () => undefined): Promise<void> {
    const outcome = new Outcome();
    outcome.apply(() => decided.draft.keep());
    // Commands go out before anything else is told.
    const statement = await this.decide(decided, outcome);
    follow(outcome);
    await this.parts.store.commitStatement(statement, outcome);
  }

  private async decide(decided: Decided, outcome: Outcome): Promise<Statement | null> {
    const { registry, handsetUrl, outbox, hub, shard } = this.parts;
    const { draft, effects, now, changed = [], writes = new Writes(), first = () => [] } = decided;
    const ledger = new Ledger(draft, writes, {
      ids: this.ids,
      handsetUrl,
      now,
      ways: () => this.parts.ways(),
      routes: this.parts.routes,
      shelves: this.parts.shelves,
      registry,
    });
    const ways = this.parts.ways().length;
    await this.ids.ensure(Ledger.numbersFor(effects, ways));
    const recorded = ledger.record(effects);
    const settling = settleOutputs(registry, draft, now, decided.listeningSince);
    await this.ids.ensure(Ledger.numbersFor(settling, ways));
    const settled = ledger.record(settling);
    writes.keepStates(draft.changes());
    const relays = [...recorded.relays, ...settled.relays];
    // A demand that ended or began without a command changes what the page says of its output all the same.
    const asked = effects.flatMap((effect) =>
      effect.kind === 'end-demand' ? [effect.output] : effect.kind === 'start-demand' ? [effect.demand.output] : [],
    );
    for (const output of new Set([...asked, ...changed]))
      if (!relays.some((relay) => relay.point === output.id)) relays.push(ledger.saveRelay(output));
    const all: Recorded = { alerts: [...recorded.alerts, ...settled.alerts], relays, outbox: [...recorded.outbox, ...settled.outbox] };
    if (all.outbox.length > 0) outcome.order(() => outbox.dispatch(all.outbox));
    outcome.tell(() =>
      hub.publish([
        ...first(),
        ...all.alerts.map((alert): LiveEvent => ({ type: 'alert', alert })),
        ...all.relays.map((relay): LiveEvent => ({ type: 'relay', relay })),
      ]),
    );
    return writes.statement(shard);
  }
}
