import { collectDefaultMetrics, Gauge, Registry } from 'prom-client';

/** Figures that are looked up when somebody asks. */
export interface MetricSources {
  readonly readingsPerMinute: () => number;
  readonly messagesWaiting: () => number;
  readonly nodesHeard: () => number;
  readonly alertsOpen: () => number;
  readonly brokerConnections: () => number;
  readonly outboxWaiting: () => number;
  readonly databaseConnections: () => number;
  readonly databaseConnectionsFree: () => number;
}

const PREFIX = 'dewpost_';
const FIGURES: Readonly<Record<keyof MetricSources, readonly [name: string, help: string]>> = {
  readingsPerMinute: ['readings_last_minute', 'Readings stored within the last minute'],
  messagesWaiting: ['intake_messages_waiting', 'Messages of nodes that are not committed yet'],
  nodesHeard: ['nodes_heard', 'Proved nodes that are heard'],
  alertsOpen: ['alerts_open', 'Alerts that stand open'],
  brokerConnections: ['broker_connections', 'Sessions of nodes at the broker'],
  outboxWaiting: ['outbox_waiting', 'Commands, messages and settings that are not sent yet, as last looked at'],
  databaseConnections: ['database_connections_used', 'Connections to the database that are at work'],
  databaseConnectionsFree: ['database_connections_free', 'Connections to the database that wait for work'],
};

/** The figures of this process for who watches over it, in the Prometheus text format. No names of nodes, rooms or people are among them. */
export class Metrics {
  private readonly registry = new Registry();

  constructor(sources: MetricSources) {
    collectDefaultMetrics({ register: this.registry, prefix: PREFIX });
    for (const key of Object.keys(FIGURES) as (keyof MetricSources)[]) {
      const [name, help] = FIGURES[key];
      new Gauge({
        name: `${PREFIX}${name}`,
        help,
        registers: [this.registry],
        collect() {
          this.set(sources[key]());
        },
      });
    }
  }

  get contentType(): string {
    return this.registry.contentType;
  }
  text(): Promise<string> {
    return this.registry.metrics();
  }
}
