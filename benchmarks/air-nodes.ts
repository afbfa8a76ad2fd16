// The nodes of the `air` benchmark, in a process of their own: a key comes on standard input, one a line, as each is told; it fetches by ranges.
import { createInterface } from 'node:readline';

const [address = '', bytes = '0', nodes = '0'] = process.argv.slice(2);
const PART = 32 * 1024;
const size = Number(bytes);

async function fetchImage(key: string): Promise<void> {
  for (let at = 0; at < size;) {
    const answer = await fetch(`${address}/node/v1/image`, {
      headers: { authorization: `Bearer ${key}`, range: `bytes=${at}-${Math.min(size, at + PART) - 1}` },
    });
    const part = await answer.arrayBuffer();
    if (answer.status === 206) at += part.byteLength;
    else if (answer.status !== 503) throw new Error(`the image: ${answer.status}`);
    // As a small board does: it has to write what it has got.
    await new Promise((resolve) => setTimeout(resolve, 100 + Math.random() * 100));
  }
}
const under: Promise<void>[] = [];
for await (const key of createInterface({ input: process.stdin })) {
  under.push(fetchImage(key));
  if (under.length === Number(nodes)) break;
}
await Promise.all(under);
process.exit(0);
