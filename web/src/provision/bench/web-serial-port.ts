import type { SignalPort } from '@dewpost/core/rom-loader';

/** What is used of the browser's serial port; browsers without one have no such object. */
export interface SerialDevice {
  readonly readable: ReadableStream<Uint8Array> | null;
  readonly writable: WritableStream<Uint8Array> | null;
  open(options: { baudRate: number }): Promise<void>;
  close(): Promise<void>;
  setSignals?(signals: { dataTerminalReady: boolean; requestToSend: boolean }): Promise<void>;
}
interface SerialOfBrowser {
  requestPort(): Promise<SerialDevice>;
}

/** The rate of our own loader, baud. */
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

const UNPLUGGED = 'the board was unplugged';
const wordsOf = (error: unknown): string => (error instanceof Error ? error.message : UNPLUGGED);

interface Streams {
  readonly reader: ReadableStreamDefaultReader<Uint8Array>;
  readonly writer: WritableStreamDefaultWriter<Uint8Array>;
}

async function openAt(device: SerialDevice, baudRate: number): Promise<Streams> {
  try {
    await device.open({ baudRate });
  } catch (error) {
    throw new Error('The port could not be opened: another program may hold it. Close that, or plug the board in anew.', { cause: error });
  }
  if (!device.readable || !device.writable) throw new Error('The port gives no bytes: plug the board in anew.');
  return { reader: device.readable.getReader(), writer: device.writable.getWriter() };
}

/** Lets a port go in order; of one that is gone there is nobody to tell. */
async function letGo(device: SerialDevice, { reader, writer }: Streams): Promise<void> {
  await reader.cancel().catch(() => undefined);
  reader.releaseLock();
  await writer.close().catch(() => undefined);
  writer.releaseLock();
  await device.close().catch(() => undefined);
}

/** A port of this computer as a byte stream with control lines. Rejects, in words, when it cannot be opened; tells when it is lost. */
export async function openSerialDevice(device: SerialDevice, baud = BAUD): Promise<SignalPort> {
  let streams = await openAt(device, baud);
  let onBytes: (bytes: Uint8Array) => void = () => undefined;
  let onClosed: (why: string) => void = () => undefined;
  let closed = false;
  const end = (why: string | null): void => {
    if (closed) return;
    closed = true;
    if (why !== null) onClosed(why);
    void letGo(device, streams);
  };
  const listen = async (own: Streams): Promise<void> => {
    // A rate that changes opens other streams: what these say then is no end.
    const stands = (): boolean => own === streams;
    try {
      for (;;) {
        const { value, done } = await own.reader.read();
        if (!stands()) return;
        if (done) return end('the other end closed it');
        onBytes(value);
      }
    } catch (error) {
      if (stands()) end(wordsOf(error));
    }
  };
  void listen(streams);
  return {
    write: (bytes) => void streams.writer.write(Uint8Array.from(bytes)).catch((error: unknown) => end(wordsOf(error))),
    onBytes: (listener) => (onBytes = listener),
    onClosed: (listener) => (onClosed = listener),
    close: () => end(null),
    signals: async (dtr, rts) => device.setSignals?.({ dataTerminalReady: dtr, requestToSend: rts }),
    async rate(next) {
      if (next === baud) return;
      baud = next;
      const before = streams;
      // Made unequal first, so that the old one's end is not taken for the port's.
      streams = { ...before };
      await letGo(device, before);
      streams = await openAt(device, next);
      void listen(streams);
    },
  };
}
