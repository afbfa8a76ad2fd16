import { spokenText } from '@dewpost/core/alarm';
import type { HandsetMessage, HushMessage, SayMessage, SaidMessage } from '@dewpost/core/wire';
import { randomUUID } from 'node:crypto';
import type { HouseEvents } from '../model/house-events';
import type { Registry } from '../model/registry';

/** A node that does not answer within this time has not said it, ms. */
const ANSWERS_WITHIN_MS = 10_000;

/** For how long each is said, s, and in which pattern, [on, off] in ms: the graver the longer and the denser. Ours. */
const VOICE: Readonly<Record<SayMessage['severity'], Pick<SayMessage, 'seconds' | 'pattern'>>> = {
  note: { seconds: 1, pattern: [200, 0] },
  advisory: { seconds: 10, pattern: [200, 1800] },
  warning: { seconds: 20, pattern: [500, 500] },
  critical: { seconds: 60, pattern: [800, 200] },
};

/** Messages that a node says where it is: by its sounder, its lamp, its display. */
export class Announcer {
  /** By the order's id: which node is to answer it. */
  private readonly waiting = new Map<string, { node: string; take(answer: SaidMessage): void }>();

  /** What nodes say of alerts just now, by the order's id. */
  private readonly spoken = new Map<string, { node: string; alert: number; until: number }>();

  constructor(
    private readonly parts: {
      registry: Registry;
      events: HouseEvents;
      send(node: string, message: SayMessage | HushMessage): boolean;
      answersWithinMs?: number;
    },
  ) {
    parts.events.on('said', ({ node, answer }) => {
      const asked = this.waiting.get(answer.id);
      if (asked?.node === node.name) asked.take(answer);
    });
    parts.events.on('acknowledged', (alerts) => this.hush(alerts));
  }

  /** Somebody has seen these alerts: what nodes still say of them ends. */
  private hush(alerts: readonly number[]): void {
    const now = Date.now();
    for (const [id, said] of this.spoken) {
      if (said.until <= now) this.spoken.delete(id);
      else if (alerts.includes(said.alert)) {
        this.spoken.delete(id);
        this.parts.send(said.node, { hush: id });
      }
    }
  }

  /** Resolves once the node says it. Rejects with words where it cannot, or does not answer. */
  async announce(
    name: string,
    { title, text, severity, alertId }: Pick<HandsetMessage, 'title' | 'text' | 'severity' | 'alertId'>,
  ): Promise<void> {
    const node = this.parts.registry.nodes.get(name);
    if (!node) throw new Error(`there is no node ${name} any more`);
    const within = this.parts.answersWithinMs ?? ANSWERS_WITHIN_MS;
    const id = randomUUID();
    const say = spokenText({ title, text });
    const answer = await new Promise<SaidMessage | null>((resolve) => {
      const timer = setTimeout(() => resolve(null), within);
      timer.unref();
      this.waiting.set(id, {
        node: name,
        take: (said) => {
          clearTimeout(timer);
          resolve(said);
        },
      });
      if (this.parts.send(name, { id, say, severity, ...VOICE[severity] })) return;
      clearTimeout(timer);
      resolve({ id, said: false, why: 'it is not connected' });
    }).finally(() => this.waiting.delete(id));
    if (answer === null) throw new Error(`${node.title} did not answer within ${within / 1000} s`);
    if (!answer.said) throw new Error(`${node.title}: ${answer.why || 'it could not say it'}`);
    if (alertId !== null) this.spoken.set(id, { node: name, alert: alertId, until: Date.now() + VOICE[severity].seconds * 1000 });
  }
}
