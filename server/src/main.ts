import { readConfig, type Config } from './config/config';
import { startServer } from './server';

function configOrExit(): Config {
  try {
    return readConfig(process.env);
  } catch (error) {
    console.error(error instanceof Error ? error.message : error);
    process.exit(2);
  }
}

const config = configOrExit();
if (process.getuid?.() === 0 && !config.demo)
  console.error('dewpost: running as root. Give it a user of its own: docs/running.md has a service that does.');
const variables: Record<number, string> = { [config.httpPort]: 'DEWPOST_HTTP_PORT', [config.mqttPort]: 'DEWPOST_MQTT_PORT' };
try {
  const server = await startServer(config);
  console.log(`dewpost: listening ${server.url} mqtt ${server.mqttPort}`);
  let closing = false;
  const stop = (): void => {
    if (closing) return;
    closing = true;
    // A second Ctrl-C, or a database that no longer answers, must not keep the process alive.
    setTimeout(() => process.exit(1), 8000).unref();
    server.close().then(
      () => process.exit(0),
      (error: unknown) => {
        console.error(error);
        process.exit(1);
      },
    );
  };
  process.on('SIGINT', stop);
  process.on('SIGTERM', stop);
} catch (error) {
  const taken = error as NodeJS.ErrnoException & { port?: number };
  if (taken.code === 'EADDRINUSE') {
    console.error(`Port ${taken.port} is taken: stop what uses it, or set ${variables[taken.port ?? 0] ?? 'another port'}.`);
  } else {
    console.error(error instanceof Error ? error.message : error);
  }
  process.exit(1);
}
