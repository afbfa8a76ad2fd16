const END = 0xc0;
const ESC = 0xdb;
const ESC_END = 0xdc;
const ESC_ESC = 0xdd;

/** Frames one packet as RFC 1055 does, with an END in front too, which flushes line noise. */
export function slipEncode(packet: Uint8Array): Uint8Array {
  const out: number[] = [END];
  for (const byte of packet) {
    if (byte === END) out.push(ESC, ESC_END);
    else if (byte === ESC) out.push(ESC, ESC_ESC);
    else out.push(byte);
  }
  out.push(END);
  return Uint8Array.from(out);
}

/**
 * Takes bytes as they come and gives back whole packets. Empty packets are dropped. A broken escape, or a packet above
 * `maxBytes`, spoils that packet only: the decoder skips to the next END.
 */
export class SlipDecoder {
  private bytes: number[] = [];
  private escaped = false;
  private spoiled = false;

  constructor(private readonly maxBytes = 8192) {}

  push(chunk: Uint8Array): Uint8Array[] {
    const packets: Uint8Array[] = [];
    for (const byte of chunk) {
      if (byte === END) {
        if (this.bytes.length > 0 && !this.spoiled && !this.escaped) packets.push(Uint8Array.from(this.bytes));
        this.bytes = [];
        this.escaped = this.spoiled = false;
      } else if (this.escaped) {
        this.escaped = false;
        if (byte === ESC_END) this.bytes.push(END);
        else if (byte === ESC_ESC) this.bytes.push(ESC);
        else this.spoiled = true;
      } else if (byte === ESC) this.escaped = true;
      else if (this.bytes.length >= this.maxBytes) this.spoiled = true;
      else this.bytes.push(byte);
    }
    return packets;
  }
}
