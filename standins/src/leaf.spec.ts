import { DATAGRAM, encodeDatagram, isProved, readDatagram, sendTimes } from '@dewpost/core/leaf';
import { createSocket, type Socket } from 'node:dgram';
import { LeafGateway, sendWord } from './leaf-gateway';

const KEY = 'the key of a leaf';
const word = (sequence: number, body = '{"r":[{"n":"open","v":1}]}', key = KEY) =>
  encodeDatagram({ kind: DATAGRAM.word, leaf: 'weir-gate', sequence, body }, key);
const isAnswerTo =
  (sequence: number) =>
  (bytes: Uint8Array): boolean => {
    const said = readDatagram(bytes);
    return said?.kind === DATAGRAM.answer && said.sequence === sequence && isProved(bytes, KEY);
  };

let gateway: LeafGateway;
let port: number;
let published: string[];
const sockets: Socket[] = [];
beforeEach(async () => {
  published = [];
  gateway = new LeafGateway((leaf, body) => published.push(`${leaf} ${body}`));
  port = await gateway.listen(0);
  gateway.setLeaves([{ node: 'weir-gate', key: KEY }]);
});
afterEach(() => {
  gateway.close();
  for (const socket of sockets.splice(0)) socket.close();
});
const to = () => ({ host: '127.0.0.1', port });
const settle = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 150));
const raw = async (bytes: Uint8Array): Promise<void> => {
  const socket = createSocket('udp4');
  sockets.push(socket);
  await new Promise<void>((resolve) => socket.send(bytes, port, '127.0.0.1', () => resolve()));
  await settle();
};

describe('a gateway and its leaf, over real datagrams on loopback', () => {
  it('publishes a word once, however many copies came, and the leaf stops at the first answer', async () => {
    const { sent, answered } = await sendWord(word(1), to(), sendTimes({ count: 3, spacingMs: 400 }), isAnswerTo(1));
    await settle();
    expect([answered, published.length]).toEqual([true, 1]);
    expect(sent).toBeLessThan(3);
  });
  it('answers a repeat whose answer was lost, without publishing it again', async () => {
    gateway.dropAnswers = 1;
    const { sent, answered } = await sendWord(word(2), to(), sendTimes({ count: 1, spacingMs: 1 }), isAnswerTo(2));
    expect([sent, answered, published.length]).toEqual([2, true, 1]);
  });
  it('takes nothing that is recorded and played again, of a stranger, or with another key', async () => {
    const recorded = word(3);
    await raw(recorded);
    await raw(word(4));
    await raw(recorded);
    await raw(word(5, '{"r":[]}', 'a guessed key'));
    await raw(encodeDatagram({ kind: DATAGRAM.word, leaf: 'nobody', sequence: 9, body: '{}' }, KEY));
    await raw(Uint8Array.from([1, 2, 3]));
    expect(published).toHaveLength(2);
    expect(gateway.refused).toEqual({ unknown: 1, unproved: 1, replayed: 1 });
  });
  it('hears no leaf that is listed no more; one with a new key counts from its beginning', async () => {
    await raw(word(50));
    gateway.setLeaves([{ node: 'weir-gate', key: 'its new key' }]);
    await raw(word(51));
    await raw(word(1, '{"r":[]}', 'its new key'));
    expect(published).toHaveLength(2);
    gateway.setLeaves([]);
    await raw(word(2, '{"r":[]}', 'its new key'));
    expect(published).toHaveLength(2);
  });
});
