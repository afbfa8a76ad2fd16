import { mkdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { cluster } from './cluster.mjs';
import { root, run, SERVER, service } from './run.mjs';

/**
 * The whole of Dew Post with its stand-ins: database, demo data, server and stand-in fleet, as children of this process.
 * `fresh` empties the database first; `show` gets the children's output.
 */
export async function startStack({
  dataDirectory,
  ports,
  scenario,
  world,
  fresh = false,
  fixedPorts = false,
  demo = true,
  env: more = {},
  show,
}) {
  mkdirSync(dataDirectory, { recursive: true });
  const database = cluster({
    directory: join(dataDirectory, 'pg'),
    port: ports.database,
    fixedPortVariable: fixedPorts ? 'DEWPOST_PG_PORT' : undefined,
  });
  const url = await database.start();
  const flashFile = join(dataDirectory, 'standins/boards.json');
  const parts = [];
  const stop = async () => {
    for (const part of parts.reverse()) await part.stop();
    await database.stop();
  };
  try {
    if (fresh) {
      await database.empty();
      rmSync(join(dataDirectory, 'standins'), { recursive: true, force: true });
    }
    const env = {
      DATABASE_URL: url,
      DEWPOST_DATA_DIR: dataDirectory,
      DEWPOST_HTTP_PORT: String(ports.http),
      DEWPOST_MQTT_PORT: String(ports.mqtt),
      DEWPOST_DEMO: demo ? '1' : '0',
      DEWPOST_STANDINS_PORT: String(ports.standins),
      DEWPOST_STANDINS_URL: `http://127.0.0.1:${ports.standins}`,
      // Whoever is outside in the demo lies on this computer: stated, as everything within a building has to be.
      DEWPOST_OUTGOING_ALLOW: [process.env.DEWPOST_OUTGOING_ALLOW, `127.0.0.1:${ports.standins}`, ports.mail && `127.0.0.1:${ports.mail}`]
        .filter(Boolean)
        .join(),
      ...(ports.mail && { DEWPOST_STANDINS_MAIL_PORT: String(ports.mail) }),
      DEWPOST_HANDSET_URL: `http://127.0.0.1:${ports.standins}/handset/messages`,
      DEWPOST_WORLD_FILE: join(root, world),
      DEWPOST_FLASH_FILE: flashFile,
      DEWPOST_WEB_DIR: join(root, 'web/dist/browser'),
      DEWPOST_LOG: process.env.DEWPOST_LOG ?? 'warn',
      ...more,
    };
    await run(process.execPath, ['server/dist/seed.js', scenario, flashFile], { env: { ...process.env, ...env } });
    const server = service(SERVER, { env, ready: /listening (http:\S+) mqtt (\d+)/, show });
    parts.push(server);
    const [, address, mqttPort] = await server.started;
    const standins = service(['--enable-source-maps', 'standins/dist/main.js'], { env, ready: /listening (http:\S+)/, show });
    parts.push(standins);
    await standins.started;
    return { address, mqttPort: Number(mqttPort), databaseUrl: url, env, server, standins, database, stop };
  } catch (error) {
    await stop();
    throw error;
  }
}
