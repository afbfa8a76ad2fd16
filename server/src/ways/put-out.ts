import type { MessageToSend } from '../engine/messages';
import type { OutboxItem } from '../outbox/items';
import type { Change } from '../store/change';

/** Puts messages that no reading has brought about into the outbox, within a change; what is given back is to be dispatched once that is written. */
export async function putOut(change: Change, messages: readonly MessageToSend[]): Promise<OutboxItem[]> {
  const items: OutboxItem[] = [];
  for (const message of messages) {
    const [row] = (await change.trx('outbox').insert(message).returning('id')) as { id: string }[];
    if (row) items.push({ ...message, id: Number(row.id), attempts: 0 });
  }
  return items;
}
