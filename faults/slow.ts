// Clients that do not read, do not speak, or never end what they say, while a node trips its threshold again and again.
import { connect, type Socket } from 'node:net';
import { campaign, holdAccounts } from './accounts';
import { House, seconds } from './house';

const MUTE = 300;
await campaign(House.open({ nodes: 4 }), async (house) => {
  await house.begin();
  for (const node of house.nodes) node.reportEvery(50);
  const sockets: Socket[] = [];
  const open = (port: number, say: string): void => {
    const socket = connect(port, '127.0.0.1', () => socket.write(say));
    socket.pause(); // never reads
    socket.on('error', () => undefined); // dropped, as it should be
    sockets.push(socket);
  };
  for (let i = 0; i < MUTE; i++) {
    open(house.httpPort, i % 2 === 0 ? '' : 'POST /api/v1/session HTTP/1.1\r\nHost: x\r\nContent-Length: 5000000\r\n\r\n{');
    open(house.mqttPort, i % 2 === 0 ? '' : '\x10\x7f\x00\x04MQTT');
  }
  const waits: number[] = [];
  for (let i = 0; i < 40; i++) {
    const from = performance.now();
    const [node] = house.nodes;
    const before = node?.acknowledged.size ?? 0;
    while (node && node.acknowledged.size === before) await seconds(0.01);
    waits.push(performance.now() - from);
    await seconds(0.5);
  }
  sockets.forEach((socket) => socket.destroy());
  const worst = Math.max(...waits);
  console.log(`${2 * MUTE} clients that do not read or speak: the longest wait for an answer ${Math.round(worst)} ms`);
  if (worst > 2000) throw new Error('nodes had to wait for clients that do nothing');
  await holdAccounts(house, 'slow and mute clients');
});
