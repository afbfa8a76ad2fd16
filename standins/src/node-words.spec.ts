import type { NodeConfiguration } from '@dewpost/core/wire';
import type { NodeParts } from './node-parts';
import { helloOf, orderOf } from './node-words';

const DO = 'dp/1/loft-1/do';
const order = (body: unknown, topic = DO) => orderOf('loft-1', topic, typeof body === 'string' ? body : JSON.stringify(body));
const command = {
  ...{ id: 'command-1', point: 'fan', value: true, leaseSeconds: 60, issued: 1, notAfter: 2, reason: 'hand' },
};

describe('what a stand-in node is told', () => {
  it.each([
    ['a command', command, 'do'],
    ['a question', { id: 'question-1', ask: 'blink', seconds: 5 }, 'ask'],
    ['something to say', { id: 'message-1', say: 'Pit too wet', severity: 'critical', seconds: 60, pattern: [800, 200] }, 'say'],
  ])('%s', (_, body, kind) => expect(order(body)?.kind).toBe(kind));

  it('nothing that is no JSON, is none of these, or is meant for another', () => {
    expect(order('{"id":')).toEqual({ kind: 'nonsense' });
    expect(order({ ...command, leaseSeconds: -1 })).toBeNull();
    expect(order({ id: 'message-1', say: '', severity: 'critical', seconds: 60, pattern: [800, 200] })).toBeNull();
    expect(order(command, 'dp/1/loft-2/do')).toBeNull();
    expect(order({ revision: 'new' }, 'dp/1/loft-1/set')).toBeNull();
  });
});

describe('what it says of itself', () => {
  const hello = (outputs: unknown[], battery: { volts(): number } | null = null) =>
    helloOf(
      { points: [{ name: 'temperature' }], outputs } as unknown as NodeConfiguration,
      { firmware: 'dewnode 1.0.0', sha256: 'a'.repeat(64) },
      { hardwareId: 'dw-1', battery } as unknown as NodeParts,
      { resetReason: 'power-up', rssiDbm: -60, network: null },
    );
  it('a box that switches something has a voice, another has none; only one on a battery tells volts', () => {
    expect(hello([{ point: 'fan' }])).toMatchObject({ says: ['sound', 'light', 'text'], points: ['temperature'], hardwareId: 'dw-1' });
    expect(hello([])).not.toHaveProperty('says');
    expect(hello([])).not.toHaveProperty('batteryVolts');
    expect(hello([], { volts: () => 2.9 })).toMatchObject({ batteryVolts: 2.9 });
  });
});
