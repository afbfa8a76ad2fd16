import type { AddressInfo } from 'node:net';
import { resolve } from 'node:path';
import { Fleet } from './fleet';
import { standinsServer } from './server';
import { readWorld } from './world';

const need = (name: string): string => {
  const value = process.env[name];
  if (!value) {
    console.error(`${name} is not set`);
    process.exit(2);
  }
  return value;
};

const port = Number(process.env['DEWPOST_STANDINS_PORT'] ?? 8481);
const fleet = new Fleet(readWorld(resolve(need('DEWPOST_WORLD_FILE'))), resolve(need('DEWPOST_FLASH_FILE')));
const server = standinsServer(fleet);
server.on('error', (error: NodeJS.ErrnoException) => {
  console.error(error.code === 'EADDRINUSE' ? `Port ${port} is taken: stop what uses it, or set DEWPOST_STANDINS_PORT.` : error);
  process.exit(1);
});
server.listen(port, '127.0.0.1', () => {
  fleet.start();
  console.log(`standins: listening http://127.0.0.1:${(server.address() as AddressInfo).port}`);
});

const stop = (): void => {
  fleet.stop();
  server.closeAllConnections();
  server.close(() => process.exit(0));
  setTimeout(() => process.exit(0), 2000).unref();
};
process.on('SIGINT', stop);
process.on('SIGTERM', stop);
