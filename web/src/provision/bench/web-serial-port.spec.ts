import { ReadableStream, WritableStream } from 'node:stream/web';
import { openSerialDevice, type SerialDevice } from './web-serial-port';

/** A port as the browser hands it out, over the streams of Node.js. */
class FakeDevice implements SerialDevice {
  readonly written: number[] = [];
  closed = false;
  opened: number | null = null;
  private source!: ReadableStreamDefaultController<Uint8Array>;
  readonly readable = new ReadableStream<Uint8Array>({ start: (controller) => void (this.source = controller as never) }) as never;
  readonly writable = new WritableStream<Uint8Array>({
    write: (bytes) => {
      if (this.unplugged) throw new Error('The device has been lost.');
      this.written.push(...bytes);
    },
  }) as never;
  unplugged = false;
  constructor(private readonly held = false) {}
  open({ baudRate }: { baudRate: number }): Promise<void> {
    if (this.held) return Promise.reject(new Error('already open'));
    this.opened = baudRate;
    return Promise.resolve();
  }
  close(): Promise<void> {
    this.closed = true;
    return Promise.resolve();
  }
  say = (...bytes: number[]): void => this.source.enqueue(Uint8Array.from(bytes));
  unplug(): void {
    this.unplugged = true;
    this.source.error(new Error('The device has been lost.'));
  }
}
const soon = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 5));

describe('a serial port of the browser', () => {
  it('carries bytes both ways, in order, and is let go when it is closed', async () => {
    const device = new FakeDevice();
    const port = await openSerialDevice(device);
    expect(device.opened).toBe(921_600);
    const heard: number[] = [];
    const lost: string[] = [];
    port.onBytes((bytes) => heard.push(...bytes));
    port.onClosed((why) => lost.push(why));
    device.say(1, 2);
    device.say(3);
    port.write(Uint8Array.from([9, 8]));
    port.write(Uint8Array.from([7]));
    await soon();
    expect([heard, device.written]).toEqual([
      [1, 2, 3],
      [9, 8, 7],
    ]);
    port.close();
    await soon();
    expect([device.closed, lost]).toEqual([true, []]);
  });
  it('tells once when the board is unplugged, while reading or while writing', async () => {
    const device = new FakeDevice();
    const port = await openSerialDevice(device);
    const lost: string[] = [];
    port.onClosed((why) => lost.push(why));
    device.unplug();
    port.write(Uint8Array.from([1]));
    await soon();
    expect(lost).toEqual(['The device has been lost.']);
  });
  it('that another program holds says what to do', async () => {
    await expect(openSerialDevice(new FakeDevice(true))).rejects.toThrow(/another program may hold it/);
  });
});
