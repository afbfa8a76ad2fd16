import type { Server, Socket } from 'node:net';

/** Lets only so many connections of one address be open at a server; `onRefused` hears of the others. */
export function capPerAddress(server: Server, most: number, onRefused: (address: string) => void): void {
  const open = new Map<string, number>();
  server.on('connection', (socket: Socket) => {
    const address = socket.remoteAddress ?? '';
    const already = open.get(address) ?? 0;
    if (already >= most) {
      onRefused(address);
      socket.destroy();
      return;
    }
    open.set(address, already + 1);
    socket.on('close', () => {
      const left = (open.get(address) ?? 1) - 1;
      if (left > 0) open.set(address, left);
      else open.delete(address);
    });
  });
}
