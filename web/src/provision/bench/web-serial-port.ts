import type { BytePort } from '@dewpost/core/serial';

/** What is used of the browser's serial port; browsers without one have no such object. */
export interface SerialDevice {
  readonly readable: ReadableStream<Uint8Array> | null;
  readonly writable: WritableStream<Uint8Array> | null;
  open(options: { baudRate: number }): Promise<void>;
  close(): Promise<void>;
}
interface SerialOfBrowser {
  requestPort(): Promise<SerialDevice>;
}

const BAUD = 921_600;

/** Does this browser hand out serial ports here? Only over TLS or from localhost. */
export const hasWebSerial = (): boolean => 'serial' in navigator;

/** Lets the person choose a port of this computer; `null` where they chose none. */
export async function chooseSerialDevice(): Promise<SerialDevice | null> {
  const { serial } = navigator as unknown as { serial: SerialOfBrowser };
  try {
    return await serial.requestPort();
  } catch (error) {
    if (error instanceof DOMException && error.name === 'NotFoundError') return null;
    throw error;
  }
}

/** A port of this computer as a byte stream. Rejects, in words, when it cannot be opened; tells when it is lost. */
export async function openSerialDevice(device: SerialDevice): Promise<BytePort> {
  try {
    await device.open({ baudRate: BAUD });
  } catch (error) {
    throw new Error('The port could not be opened: another program may hold it. Close that, or plug the board in anew.', { cause: error });
  }
  if (!device.readable || !device.writable) throw new Error('The port gives no bytes: plug the board in anew.');
  const reader = device.readable.getReader();
  const writer = device.writable.getWriter();
  let onBytes: (bytes: Uint8Array) => void = () => undefined;
  let onClosed: (why: string) => void = () => undefined;
  let closed = false;
  const end = (why: string | null): void => {
    if (closed) return;
    closed = true;
    if (why !== null) onClosed(why);
    // A port that is gone cannot be let go in order: there is nobody to tell.
    void reader
      .cancel()
      .catch(() => undefined)
      .then(() => reader.releaseLock())
      .then(() => writer.close().catch(() => undefined))
      .then(() => writer.releaseLock())
      .then(() => device.close().catch(() => undefined));
  };
  void (async () => {
    try {
      for (;;) {
        const { value, done } = await reader.read();
        if (done) return end('the other end closed it');
        onBytes(value);
      }
    } catch (error) {
      end(error instanceof Error ? error.message : 'the board was unplugged');
    }
  })();
  return {
    write: (bytes) =>
      void writer
        .write(Uint8Array.from(bytes))
        .catch((error: unknown) => end(error instanceof Error ? error.message : 'the board was unplugged')),
    onBytes: (listener) => (onBytes = listener),
    onClosed: (listener) => (onClosed = listener),
    close: () => end(null),
  };
}
