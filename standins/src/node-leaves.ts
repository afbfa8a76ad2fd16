import { helloSchema, topicOf, type NodeConfiguration, type Upward } from '@dewpost/core/wire';
import * as z from 'zod';
import { LeafGateway } from './leaf-gateway';
import type { Networks } from './network';
import type { NodeMail } from './node-mail';

const leafWordSchema = z.object({ r: z.array(z.object({ n: z.string(), v: z.number() })), h: helloSchema.optional() });
/** Level at which what stands about hears its access point, dBm. */
const HEARD_AT_DBM = -63;

/** A node's other side, where it is a gateway: its own access point, and what its leaves say there. */
export class NodeLeaves {
  /** `null`: it is no gateway. */
  readonly side: LeafGateway | null;
  private vanish: () => void = () => undefined;

  constructor(
    private readonly configuration: NodeConfiguration,
    private readonly parts: { networks: Networks; mail: NodeMail; log(level: 'warning' | 'fault', text: string): void },
  ) {
    this.side = configuration.accessPoint ? new LeafGateway((leaf, body) => this.passOn(leaf, body)) : null;
  }

  open(): void {
    const { accessPoint } = this.configuration;
    if (!accessPoint || !this.side) return;
    this.vanish = this.parts.networks.appear({ name: accessPoint.name, passphrase: accessPoint.passphrase, rssiDbm: HEARD_AT_DBM });
    this.side.listen(accessPoint.port).catch((error: unknown) => this.parts.log('fault', `cannot hear its leaves: ${String(error)}`));
  }

  close(): void {
    this.side?.close();
    this.vanish();
  }

  /** A word of a leaf, on the leaf's own topics with this node's session. What cannot go out now is kept until it can. */
  private passOn(leaf: string, body: string): void {
    let said: unknown;
    try {
      said = JSON.parse(body);
    } catch {
      return this.parts.log('warning', `a word of ${leaf} was not JSON`);
    }
    const word = leafWordSchema.safeParse(said);
    if (!word.success) return;
    const t = Date.now() / 1000;
    const out: [Upward, unknown][] = [];
    if (word.data.h) out.push(['hello', word.data.h]);
    if (word.data.r.length > 0) out.push(['up', word.data.r.map((record) => ({ ...record, t }))]);
    this.parts.mail.passOn(out.map(([channel, message]) => ({ topic: topicOf(leaf, channel), text: JSON.stringify(message) })));
  }
}
