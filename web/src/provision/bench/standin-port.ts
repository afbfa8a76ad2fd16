import type { SignalPort } from '@dewpost/core/rom-loader';

/**
 * A stand-in's serial port, as a byte stream over a WebSocket: with a board of this profile at it, or with the board of a node that runs, to be
 * listened to. Rejects when it cannot be opened.
 */
export function openStandinPort(id: number, at: { board: string } | 'listen'): Promise<SignalPort> {
  return new Promise((resolve, reject) => {
    const socket = new WebSocket(
      `${location.protocol === 'https:' ? 'wss' : 'ws'}://${location.host}/standins/ports/${id}?${at === 'listen' ? 'listen=1' : `board=${encodeURIComponent(at.board)}`}`,
    );
    socket.binaryType = 'arraybuffer';
    let opened = false;
    let onBytes: (bytes: Uint8Array) => void = () => undefined;
    let onClosed: (why: string) => void = () => undefined;
    socket.onopen = () => {
      opened = true;
      resolve({
        write: (bytes) => socket.send(Uint8Array.from(bytes)),
        signals: (dtr, rts) => Promise.resolve(socket.send(JSON.stringify({ dtr, rts }))),
        // Its line has one rate.
        rate: () => Promise.resolve(),
        onBytes: (listener) => (onBytes = listener),
        onClosed: (listener) => (onClosed = listener),
        close: () => socket.close(),
      });
    };
    socket.onmessage = (event: MessageEvent<ArrayBuffer>) => onBytes(new Uint8Array(event.data));
    socket.onclose = () => {
      if (opened) onClosed('the other end closed it');
      else reject(new Error(`Port ${id} could not be opened: it may be in use by another page.`));
    };
  });
}
