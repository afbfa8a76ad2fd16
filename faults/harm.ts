// Whatever bytes come: packets, bodies, upgrades. Drawn anew each time; the seed is printed, DEWPOST_SEED repeats it.
import fc from 'fast-check';
import { connect } from 'node:net';
import { campaign, holdAccounts } from './accounts';
import { House } from './house';

const seed = Number(process.env['DEWPOST_SEED'] ?? Date.now() % 2 ** 31);
const numRuns = Number(process.env['DEWPOST_RUNS'] ?? 3000);

/** Says these bytes, a piece at a time, and goes: at its end, or with a reset. */
const say = (port: number, pieces: readonly Uint8Array[], reset: boolean): Promise<void> =>
  new Promise((done) => {
    const socket = connect(port, '127.0.0.1');
    socket.on('error', () => undefined); // refused or dropped: both are good answers
    socket.on('close', () => done());
    socket.on('connect', () => {
      for (const piece of pieces) socket.write(piece);
      setTimeout(() => (reset ? socket.resetAndDestroy() : socket.destroy()), 5);
    });
  });
const text = (value: string): Uint8Array => Buffer.from(value, 'latin1');
const bytes = fc.uint8Array({ maxLength: 300 });
const packet = fc
  .tuple(fc.integer({ min: 0, max: 255 }), bytes)
  .map(([type, body]) => Uint8Array.from([type, Math.min(body.length, 127), ...body.subarray(0, 127)]));
const request = fc
  .record({
    method: fc.constantFrom('GET', 'POST', 'PUT', 'DELETE', 'BREW'),
    path: fc.oneof(
      fc.webPath(),
      fc.constantFrom('/api/v1/session', '/node/v1/up', '/api/v1/live', '/standins/ports/1', '//', '/%', '/api/v1/nodes/%00/log'),
    ),
    headers: fc.subarray([
      'Upgrade: websocket',
      'Connection: Upgrade',
      'Upgrade: h2c',
      'Transfer-Encoding: chunked',
      'Content-Length: 7',
      'Content-Type: application/json',
      'Cookie: dewpost.share=%E0',
      'Authorization: Bearer x',
      'Host: elsewhere.example',
      'Expect: 100-continue',
    ]),
    body: fc.oneof(fc.json(), fc.constantFrom('[[[['.repeat(500), '{"__proto__":{"a":1}}', '\u0000')),
  })
  .map(({ method, path, headers, body }) =>
    text(`${method} ${path} HTTP/1.1\r\nHost: 127.0.0.1\r\n${headers.join('\r\n')}\r\n\r\n${body}`),
  );
/** What a node that is known says: valid or nearly so. */
const record = fc.record(
  {
    n: fc.oneof(fc.constantFrom('humidity', 'temperature', '__proto__'), fc.string()),
    v: fc.oneof(fc.double(), fc.string(), fc.constant(null)),
    t: fc.oneof(fc.double(), fc.maxSafeInteger()),
    bt: fc.double(),
    bv: fc.double(),
  },
  { requiredKeys: [] },
);

await campaign(House.open({ nodes: 4 }), async (house) => {
  await house.begin();
  for (const node of house.nodes.slice(1)) node.reportEvery(100);
  const [odd] = house.nodes;
  console.log(`seed ${seed}`);
  await fc.assert(
    fc.asyncProperty(
      fc.oneof(
        fc.record({
          what: fc.constant('packets' as const),
          pieces: fc.array(fc.oneof(packet, bytes), { maxLength: 5 }),
          reset: fc.boolean(),
        }),
        fc.record({
          what: fc.constant('request' as const),
          pieces: fc.array(request, { minLength: 1, maxLength: 3 }),
          reset: fc.boolean(),
        }),
        fc.record({ what: fc.constant('records' as const), body: fc.oneof(fc.array(record, { maxLength: 4 }), fc.jsonValue()) }),
      ),
      async (attack) => {
        if (attack.what === 'records') await odd?.post(house.address, attack.body);
        else await say(attack.what === 'packets' ? house.mqttPort : house.httpPort, attack.pieces, attack.reset);
        if (!house.running) throw new Error('the server ended');
      },
    ),
    { numRuns, seed, endOnFailure: true },
  );
  for (const path of ['/readyz', '/']) {
    const status = await house.status(path);
    if (status !== 200) throw new Error(`${path} answers ${status} afterwards`);
  }
  const snapshot = await house.call('GET', '/api/v1/snapshot');
  if (snapshot.status !== 200) throw new Error(`the snapshot answers ${snapshot.status} afterwards`);
  house.nodes.shift();
  await holdAccounts(house, `${numRuns} odd packets, requests and readings`);
});
