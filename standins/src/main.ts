import type { AddressInfo } from 'node:net';
import { resolve } from 'node:path';
import { Fleet } from './fleet';
import { Receivers } from './receivers';
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
const receivers = new Receivers();
const server = standinsServer(fleet, receivers);
const mailPort = Number(process.env['DEWPOST_STANDINS_MAIL_PORT'] ?? 0);
const mail = mailPort > 0 ? receivers.mailServer() : null;
server.on('error', (error: NodeJS.ErrnoException) => {
  console.error(error.code === 'EADDRINUSE' ? `Port ${port} is taken: stop what uses it, or set DEWPOST_STANDINS_PORT.` : error);
  process.exit(1);
});
server.listen(port, '127.0.0.1', () => {
  fleet.start();
  console.log(`standins: listening http://127.0.0.1:${(server.address() as AddressInfo).port}`);
});

mail?.on('error', (error: Error) => console.error(`standins: no mail server on port ${mailPort}: ${error.message}`));
mail?.listen(mailPort, '127.0.0.1');

const stop = (): void => {
  mail?.close();
  fleet.stop();
  server.closeAllConnections();
  server.close(() => process.exit(0));
  setTimeout(() => process.exit(0), 2000).unref();
};
process.on('SIGINT', stop);
process.on('SIGTERM', stop);
