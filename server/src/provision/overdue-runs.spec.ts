import type { Run } from '@dewpost/contract';
import { CONTACT_SECONDS, firstPatienceSeconds } from '@dewpost/core/fit';
import type { Logger } from 'pino';
import type { NodeEntry } from '../model/entries';
import { Registry } from '../model/registry';
import { OverdueRuns } from './overdue-runs';

const NOW = Date.UTC(2026, 10, 28, 12);
const PATIENCE_MS = firstPatienceSeconds(60) * 1000;

function bench(steps: [step: 'join' | 'contact', agoMs: number][]) {
  const registry = new Registry();
  const node = { id: 1, name: 'loft-1', title: 'loft-1', reportSeconds: 60, keyDigest: Buffer.from('k'), points: new Map() };
  registry.putNodes([node as unknown as NodeEntry]);
  let running = [
    { id: 7, node: 'loft-1', steps: steps.map(([step, ago]) => ({ step, state: 'done', at: NOW - ago })) },
  ] as unknown as Run[];
  const given: string[] = [];
  const asked: number[] = [];
  const runs = new OverdueRuns({
    registry: () => registry,
    running: () => Promise.resolve(running),
    log: () => ({ error: () => undefined }) as unknown as Logger,
    missing: () => [{ point: 'temperature', text: 'no value' }],
    askAnew: (_, run) => Promise.resolve(void asked.push(run)),
    giveUp: (run, { name }, { step, code, detail }) => Promise.resolve(void given.push(`${run} ${name} ${step} ${code}: ${detail}`)),
  });
  return { runs, given, asked, end: () => (running = []) };
}

describe('runs that wait', () => {
  it('one that has joined and says nothing is given up after its time, and not before', async () => {
    const early = bench([['join', CONTACT_SECONDS * 1000]]);
    await early.runs.look(NOW);
    expect(early.given).toEqual([]);
    await early.runs.look(NOW + 1);
    expect(early.given).toEqual([`7 loft-1 contact no-contact: joined, and no hello in ${CONTACT_SECONDS} s`]);
  });

  it('one whose first contact came while it listened is given the time since then, and says what is missing', async () => {
    const { runs, given } = bench([
      ['join', PATIENCE_MS + 5000],
      ['contact', PATIENCE_MS],
    ]);
    runs.heard(7);
    await runs.look(NOW);
    expect(given).toEqual([]);
    await runs.look(NOW + 1);
    expect(given).toEqual([expect.stringMatching(/^7 loft-1 readings no-read-back: temperature: no value after \d+ s$/)]);
  });

  it('of contacts before a restart it begins anew: outputs are asked once more, and the time counts from its first look', async () => {
    const { runs, given, asked, end } = bench([['contact', 9 * PATIENCE_MS]]);
    await runs.look(NOW);
    await runs.look(NOW + PATIENCE_MS);
    expect([given, asked]).toEqual([[], [7]]);
    await runs.look(NOW + PATIENCE_MS + 1);
    expect(given).toHaveLength(1);
    // Over: a run of the same number would be looked at as if for the first time.
    end();
    await runs.look(NOW + PATIENCE_MS + 2);
    expect(asked).toEqual([7]);
  });

  it('one that has not joined yet waits for whoever stands at the bench', async () => {
    const { runs, given } = bench([]);
    await runs.look(NOW + 9e9);
    expect(given).toEqual([]);
  });
});
