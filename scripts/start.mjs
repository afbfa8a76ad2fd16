// npm start: Dew Post with its demo, from nothing. npm start -- --fresh loads the demo anew.
import { join, resolve } from 'node:path';
import { cluster } from './lib/cluster.mjs';
import { buildStale, ensurePackages, ensureSystem } from './lib/prepare.mjs';
import { portIsFree, root } from './lib/run.mjs';
import { startStack } from './lib/stack.mjs';

const PORTS = {
  http: ['DEWPOST_HTTP_PORT', 8480],
  mqtt: ['DEWPOST_MQTT_PORT', 1883],
  standins: ['DEWPOST_STANDINS_PORT', 8481],
  database: ['DEWPOST_PG_PORT', 8482],
  mail: ['DEWPOST_STANDINS_MAIL_PORT', 8484],
};
const ports = Object.fromEntries(Object.entries(PORTS).map(([name, [variable, usual]]) => [name, Number(process.env[variable] ?? usual)]));
const dataDirectory = resolve(process.env.DEWPOST_DATA_DIR ?? join(root, '.data'));

const fail = (message) => {
  console.error(message);
  process.exit(1);
};

for (const name of ['http', 'mqtt', 'standins']) {
  if (!(await portIsFree(ports[name]))) fail(`Port ${ports[name]} is taken: stop what uses it, or set ${PORTS[name][0]}.`);
}
await ensurePackages();
await ensureSystem('postgresql');
const mine = cluster({ directory: join(dataDirectory, 'pg'), port: ports.database });
if (!(await mine.running()) && !(await portIsFree(ports.database)))
  fail(`Port ${ports.database} is taken: stop what uses it, or set DEWPOST_PG_PORT.`);
await buildStale();

let stack = null;
let stopping = false;
const stop = async (code) => {
  if (stopping) return;
  stopping = true;
  console.log('\nstopping');
  await stack?.stop();
  process.exit(code);
};
process.on('SIGINT', () => void stop(0));
process.on('SIGTERM', () => void stop(0));

try {
  stack = await startStack({
    dataDirectory,
    ports,
    scenario: 'server/demo/wrenfold-mill.json',
    world: 'standins/worlds/wrenfold-mill.json',
    fresh: process.argv.includes('--fresh'),
    fixedPorts: true,
    show: (text) => process.stdout.write(text.replace(/^(dewpost|standins): listening.*\n/gm, '')),
  });
  for (const [name, part] of [
    ['server', stack.server],
    ['stand-in fleet', stack.standins],
  ]) {
    part.child.on('exit', (code) => {
      if (stopping) return;
      console.error(`the ${name} ended (${code})`);
      void stop(1);
    });
  }
  console.log(`\nDew Post is at ${stack.address} with Wrenfold Mill and its stand-in nodes. Ctrl-C stops it.`);
} catch (error) {
  fail(error.text ? `${error.message}\n${error.text}` : error.message);
}
