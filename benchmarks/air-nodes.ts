// The nodes of the `air` benchmark, in a process of their own: keys come on standard input, one a line; each fetches the image by ranges.
const [address = '', bytes = '0'] = process.argv.slice(2);
const PART = 32 * 1024;
const size = Number(bytes);
let text = '';
for await (const chunk of process.stdin) text += String(chunk);

async function fetchImage(key: string): Promise<void> {
  for (let at = 0; at < size;) {
    const answer = await fetch(`${address}/node/v1/image`, {
      headers: { authorization: `Bearer ${key}`, range: `bytes=${at}-${Math.min(size, at + PART) - 1}` },
    });
    const part = await answer.arrayBuffer();
    if (answer.status === 206) at += part.byteLength;
    // Not told yet, or in line.
    else if (answer.status !== 503 && answer.status !== 404) throw new Error(`the image: ${answer.status}`);
    // As a small board does: it has to write what it has got.
    await new Promise((resolve) => setTimeout(resolve, 100 + Math.random() * 100));
  }
}
await Promise.all(text.split('\n').map(fetchImage));
export {};
