// The nodes of the `backlog` benchmark that were away, in a process of their own: each has kept so many records and sends them piece by
// piece, the next when the one before is acknowledged, as a stand-in does. Ends when all are sent, or its standard input is closed.
import mqtt from 'mqtt';

const [port = '', records = '0', ...accounts] = process.argv.slice(2);
const PIECE = 300;
const EVERY_SECONDS = 20;
process.stdin.on('end', () => process.exit(0)).resume();

const all = Number(records);
const newest = Date.now() / 1000 - 600;
await Promise.all(
  accounts.map(async (account) => {
    const [id = '', password = ''] = account.split('=');
    const client = await mqtt.connectAsync({
      host: '127.0.0.1',
      port: Number(port),
      protocolVersion: 4,
      clientId: id,
      username: id,
      password,
    });
    for (let at = 0; at < all; at += PIECE) {
      const count = Math.min(PIECE, all - at);
      const bt = newest - (all - at) * EVERY_SECONDS;
      const pack = Array.from({ length: count }, (_, i) => ({
        ...(i === 0 && { bn: `${id}:`, bt }),
        n: 'temperature',
        t: i * EVERY_SECONDS,
        v: 20 + ((at + i) % 40) / 10,
      }));
      await client.publishAsync(`dp/1/${id}/up`, JSON.stringify(pack), { qos: 1 });
    }
    process.stdout.write(`${id}\n`);
    await client.endAsync();
  }),
);
process.exit(0);
