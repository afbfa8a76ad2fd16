import type { Rig } from './rig';

export const PACKETS_PER_SECOND = 50;
export const RECORDS_A_PACKET = 10;

/** Publishes at the rate, a node after the other, as long as it is told to go on (seconds since the beginning); gives the milliseconds to each acknowledgement. */
export async function flow(nodes: Rig['nodes'], goesOn: (seconds: number) => boolean): Promise<number[]> {
  const latencies: number[] = [];
  const under: Promise<void>[] = [];
  const began = performance.now();
  for (let i = 0; goesOn((performance.now() - began) / 1000); i++) {
    const wait = began + (i * 1000) / PACKETS_PER_SECOND - performance.now();
    if (wait > 0) await new Promise((resolve) => setTimeout(resolve, wait));
    const node = nodes[i % nodes.length];
    if (!node) break;
    const now = Date.now();
    const records = Array.from({ length: RECORDS_A_PACKET }, (_, k) => ({
      n: k % 2 ? 'humidity' : 'temperature',
      t: (now - k) / 1000,
      v: 20 + k / 10,
    }));
    const from = performance.now();
    under.push(
      node.client
        .publishAsync(`dp/1/${node.id}/up`, JSON.stringify(records), { qos: 1 })
        .then(() => void latencies.push(performance.now() - from)),
    );
  }
  await Promise.all(under);
  return latencies;
}
/** For so many seconds. */
export const forSeconds =
  (most: number) =>
  (seconds: number): boolean =>
    seconds < most;
