import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';

/** Where messages to people go: a handset that can be switched off. */
export class TestHandset {
  readonly messages: { id: string; title: string; severity: string }[] = [];
  off = false;
  private readonly server: Server = createServer((request, response) => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.on('end', () => {
      if (!this.off) this.messages.push(JSON.parse(Buffer.concat(chunks).toString()));
      response.writeHead(this.off ? 503 : 200).end('{}');
    });
  });
  async start(): Promise<string> {
    await new Promise<void>((resolve) => this.server.listen(0, '127.0.0.1', resolve));
    return `http://127.0.0.1:${(this.server.address() as AddressInfo).port}/messages`;
  }
  stop(): void {
    this.server.closeAllConnections();
    this.server.close();
  }
}
