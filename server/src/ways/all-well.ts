import type { Alert } from '@dewpost/contract';
import type { Target } from '@dewpost/core/alarm';
import { counted } from '@dewpost/core/quantity';
import type { HandsetMessage } from '@dewpost/core/wire';
import { DateTime } from 'luxon';
import { randomUUID } from 'node:crypto';
import type { Job } from '../jobs/jobs';
import type { MessageToSend } from '../engine/messages';
import type { Outbox } from '../outbox/outbox';
import type { Store } from '../store/change';
import { putOut } from './put-out';
import type { RoutePlans } from './route-plans';

/** A word of a day that the server slept through is not said in the night after. */
const LATE_MS = 4 * 3_600_000;

/** A word each day that the house can speak, to whoever asked for it: silence is then a sign. */
export class AllWell {
  constructor(
    private readonly parts: {
      store: Store;
      outbox: Outbox;
      routePlans: RoutePlans;
      handset: boolean;
      zone(): string;
      /** Names of ways, by their numbers. */
      nameOf(way: number): string | undefined;
      openAlerts(): readonly Alert[];
      nodes(): { readonly heard: number; readonly written: number };
    },
  ) {}

  /** Looks each minute, and when somebody asks for another hour. */
  readonly job: Job = {
    name: 'all_well',
    failed: 'the word of the day could not be said',
    everyMinutes: 1,
    run: () => this.look(Date.now()),
  };

  private async look(now: number): Promise<void> {
    const { store, outbox, routePlans } = this.parts;
    const { allWell } = routePlans.plan();
    if (!allWell) return;
    const due = DateTime.fromMillis(now, { zone: this.parts.zone() })
      .startOf('day')
      .set({ hour: Math.floor(allWell.minute / 60), minute: allWell.minute % 60 })
      .toMillis();
    if (now < due || now > due + LATE_MS) return;
    await store.commitInTurn('all well', async (change) => {
      const site = (await change.trx('site').forUpdate().first('all_well_at')) as { all_well_at: Date | null } | undefined;
      if (!site || (site.all_well_at?.getTime() ?? -Infinity) >= due) return;
      await change.trx('site').update({ all_well_at: new Date(now) });
      const items = await putOut(change, this.messages(allWell.to, now));
      change.tell(() => outbox.dispatch(items));
    });
  }

  private messages(to: readonly Target[], now: number): MessageToSend[] {
    const open = this.parts.openAlerts().filter(({ journal }) => !journal);
    const { heard, written } = this.parts.nodes();
    const nodes = `${heard} of ${written} nodes heard`;
    const part = {
      title: open.length === 0 ? `All well: ${nodes}` : `${counted(open.length, 'alert')} open, ${nodes}`,
      text:
        open.length === 0
          ? 'No alert is open. The house says so once a day, so that its silence would be noticed.'
          : open.map(({ title, node }) => `${title} (${node})`).join(', '),
      severity: 'note' as const,
      alertId: null,
      trippedAt: null,
      sentAt: now,
    };
    return to.flatMap((target): MessageToSend[] => {
      if (target === 'handset') {
        const message: HandsetMessage = { id: randomUUID(), to: 'duty keeper', ...part };
        return this.parts.handset ? [{ kind: 'message', body: message }] : [];
      }
      const name = this.parts.nameOf(target);
      return name === undefined ? [] : [{ kind: 'way', body: { way: target, message: { id: randomUUID(), to: name, ...part } } }];
    });
  }
}
