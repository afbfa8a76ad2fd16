import { AIR_MISHAP_KINDS, NODE_MISHAP_KINDS, PORT_MISHAP_KINDS, type AirMishap, type NodeMishap } from '@dewpost/core/mishaps';
import { handsetMessageSchema } from '@dewpost/core/wire';
import { inject, Injectable } from '@angular/core';
import * as z from 'zod';
import { Api } from '../data/api';

const inboxSchema = z.array(z.object({ message: handsetMessageSchema, deliveredAt: z.number() }));
export type InboxEntry = z.infer<typeof inboxSchema>[number];

const receivedSchema = z.array(z.object({ by: z.enum(['webhook', 'mail', 'push']), title: z.string(), text: z.string(), at: z.number() }));
export type Received = z.infer<typeof receivedSchema>[number];
const subscriptionSchema = z.object({ endpoint: z.string(), keys: z.object({ p256dh: z.string(), auth: z.string() }) });

const portMishapSchema = z.enum(PORT_MISHAP_KINDS);

export const portSchema = z.object({ id: z.number(), mishap: portMishapSchema, open: z.boolean() });
export type StandinPortInfo = z.infer<typeof portSchema>;

const airMishapSchema = z.enum(AIR_MISHAP_KINDS);

const mishapsSchema = z.object({
  nodes: z.array(
    z.object({
      node: z.string(),
      room: z.string(),
      connected: z.boolean(),
      contacts: z.array(z.string()),
      mishaps: z.record(z.enum(NODE_MISHAP_KINDS), z.boolean()),
    }),
  ),
  networks: z.array(z.object({ name: z.string(), down: z.boolean() })),
  ports: z.array(portSchema),
  handsetOff: z.boolean(),
  air: airMishapSchema,
});
export type Mishaps = z.infer<typeof mishapsSchema>;

export type MishapWish =
  | { what: 'node'; node: string; kind: NodeMishap; on: boolean }
  | { what: 'network'; network: string; on: boolean }
  | { what: 'port'; port: number; kind: StandinPortInfo['mishap'] }
  | { what: 'act'; node: string; point: string; value: number }
  | { what: 'air'; kind: AirMishap }
  | { what: 'handset'; on: boolean };

/** The stand-ins behind /standins. What they answer is checked: they are outside. */
@Injectable({ providedIn: 'root' })
export class StandinsApi {
  private readonly api = inject(Api);

  async inbox(): Promise<InboxEntry[]> {
    return inboxSchema.parse(await this.api.fetchJson('/standins/handset/messages'));
  }
  /** What came to the stand-ins outside the house: webhook, mail server, push service. */
  async received(): Promise<Received[]> {
    return receivedSchema.parse(await this.api.fetchJson('/standins/received'));
  }
  /** Subscribes the browser that a stand-in plays. */
  async subscribe(publicKey: string): Promise<z.infer<typeof subscriptionSchema>> {
    const answer = await this.post('/standins/push', { publicKey });
    return subscriptionSchema.parse(answer);
  }
  async ports(): Promise<StandinPortInfo[]> {
    return z.array(portSchema).parse(await this.api.fetchJson('/standins/ports'));
  }
  async mishaps(): Promise<Mishaps> {
    return mishapsSchema.parse(await this.api.fetchJson('/standins/mishaps'));
  }
  async setMishap(wish: MishapWish): Promise<Mishaps> {
    return mishapsSchema.parse(await this.post('/standins/mishaps', wish));
  }

  private post(path: string, body: object): Promise<unknown> {
    return this.api.fetchJson(path, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) });
  }
}
