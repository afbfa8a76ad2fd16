import type { service } from './run.mjs';
export interface Stack {
  address: string;
  mqttPort: number;
  databaseUrl: string;
  env: Record<string, string>;
  server: ReturnType<typeof service>;
  standins: ReturnType<typeof service>;
  database: { destroy(): Promise<unknown> };
  stop(): Promise<void>;
}
export function startStack(options: {
  dataDirectory: string;
  ports: { http: number; mqtt: number; standins: number; database: number };
  scenario: string;
  world: string;
  fresh?: boolean;
  fixedPorts?: boolean;
  demo?: boolean;
  env?: Record<string, string>;
  show?: (text: string) => void;
}): Promise<Stack>;
