import { spawn } from 'node:child_process';
import type { Rig } from './rig';

/** Packs that a node has under way at most. */
const UNDER_WAY = 40;

/** Publishes every pack from every node, QoS 1; ends with the last acknowledgement. */
export async function publishPacks(nodes: Rig['nodes'], packs: readonly string[]): Promise<void> {
  await Promise.all(
    nodes.map(async ({ id, client }) => {
      const underWay = new Set<Promise<unknown>>();
      for (const body of packs) {
        const sent: Promise<unknown> = client.publishAsync(`dp/1/${id}/up`, body, { qos: 1 }).finally(() => underWay.delete(sent));
        underWay.add(sent);
        if (underWay.size >= UNDER_WAY) await Promise.race(underWay);
      }
      await Promise.all(underWay);
    }),
  );
}

/** A line of `COPY` for a reading; `at` in ms. */
export const copyLine = (point: number | undefined, at: number, value: number): string =>
  `${point}\t${new Date(at).toISOString()}\t${value}\t${value}\t0\t0\t0\n`;

/** Puts rows into `reading` by one COPY through psql; gives how long it took, s. */
export async function copyRows(text: string): Promise<number> {
  const began = performance.now();
  await new Promise<void>((done, fail) => {
    const psql = spawn(
      'psql',
      [process.env['DATABASE_URL'] ?? '', '-qc', 'copy reading (point_id, at, raw, value, quality, flags, reason) from stdin'],
      { stdio: ['pipe', 'inherit', 'inherit'] },
    );
    psql.on('exit', (code) => (code === 0 ? done() : fail(new Error(`psql ended with ${code}`))));
    psql.stdin.end(text);
  });
  return (performance.now() - began) / 1000;
}

/**
 * Stretches of time for rounds of readings, each as long as a round (ms): up to now when it is given, after those before it. What is sent is as
 * new as live readings are.
 */
export function stretches(lengthMs: number): () => Promise<number> {
  let free = Date.now() + 1;
  return async () => {
    const from = free;
    free += lengthMs;
    while (Date.now() < free) await new Promise((resolve) => setTimeout(resolve, free - Date.now()));
    return from;
  };
}
