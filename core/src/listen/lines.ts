import { decodeFrame, FRAME, SlipDecoder } from '../serial';

/** Where a line ends: at any of them, or at one kind only. */
export type LineEnd = 'any' | 'lf' | 'cr' | 'crlf';

/** A line as it came over a serial port. */
export interface SerialLine {
  /** When its first byte came, ms. */
  readonly at: number;
  readonly text: string;
  /** The code that a log frame of ours carries. */
  readonly code?: string;
}

const LF = 0x0a;
const CR = 0x0d;
/** Begins and ends a frame; no text in UTF-8 has it. */
const END = 0xc0;
/** A line is broken here, and a frame that grows past it was none. */
const LONGEST = 2048;
// eslint-disable-next-line no-control-regex -- colours that terminals are told
const COLOURS = /\x1b\[[\d;]*[A-Za-z]/g;
// eslint-disable-next-line no-control-regex -- everything that is no text
const CONTROLS = /[\x00-\x08\x0b-\x1f\x7f]/g;

/** Bytes as text that can be shown: what is no UTF-8 and what steers a terminal is replaced. */
const shown = (bytes: readonly number[]): string =>
  new TextDecoder().decode(Uint8Array.from(bytes)).replace(COLOURS, '').replace(CONTROLS, '\u00b7');

/**
 * Makes lines of the bytes of a serial port, however they are cut; log frames of our own protocol (SLIP, RFC 1055) among them are lines
 * too. What is no whole line yet is given by `rest`.
 */
export class LineReader {
  private line: number[] = [];
  private begunAt = 0;
  private afterCr = false;
  private frame: number[] | null = null;

  constructor(private readonly end: LineEnd = 'any') {}

  /** The lines that these bytes, come at `at` (ms), complete. */
  take(bytes: Uint8Array, at: number): SerialLine[] {
    const lines: SerialLine[] = [];
    for (const byte of bytes) {
      if (this.frame) this.inFrame(byte, at, lines);
      else if (byte === END) {
        this.close(lines);
        this.frame = [];
        this.begunAt = at;
      } else this.inText(byte, at, lines);
    }
    return lines;
  }

  /** What came without an end of line, once the line is quiet; `null`: nothing did. */
  rest(): SerialLine | null {
    const lines: SerialLine[] = [];
    this.close(lines);
    return lines[0] ?? null;
  }

  private inText(byte: number, at: number, lines: SerialLine[]): void {
    const second = this.afterCr && byte === LF;
    this.afterCr = byte === CR;
    if (second && this.end === 'any') return;
    const ends =
      this.end === 'any' ? byte === LF || byte === CR : this.end === 'cr' ? byte === CR : this.end === 'lf' ? byte === LF : second;
    if (ends) {
      if (this.end === 'crlf') this.line.pop();
      // An empty line is one, unless nothing but the other half of an end stood in it.
      if (this.line.length === 0) this.begunAt = at;
      lines.push({ at: this.begunAt, text: shown(this.line) });
      this.line = [];
      return;
    }
    if (this.line.length === 0) this.begunAt = at;
    this.line.push(byte);
    if (this.line.length >= LONGEST) this.close(lines);
  }

  private inFrame(byte: number, at: number, lines: SerialLine[]): void {
    const frame = this.frame ?? [];
    if (byte !== END) {
      frame.push(byte);
      if (frame.length > LONGEST) this.noFrame(frame, lines);
      return;
    }
    // Two ENDs side by side: one closed noise, the next begins.
    if (frame.length === 0) return;
    const log = logOf(frame);
    if (log) lines.push({ at: this.begunAt, ...log });
    this.frame = log === null ? [] : null;
    this.begunAt = at;
    if (log === null) lines.push({ at, text: `\u00b7 ${frame.length} bytes that are no text` });
  }

  private noFrame(frame: readonly number[], lines: SerialLine[]): void {
    this.frame = null;
    this.line = [...frame];
    this.close(lines);
  }

  private close(lines: SerialLine[]): void {
    if (this.line.length === 0) return;
    lines.push({ at: this.begunAt, text: shown(this.line) });
    this.line = [];
  }
}

/** A log frame as a line; an answer or request of the loader is named only; `null`: no frame of ours. */
function logOf(bytes: readonly number[]): { text: string; code?: string } | null {
  const [packet] = new SlipDecoder().push(Uint8Array.from([...bytes, END]));
  const frame = packet ? decodeFrame(packet) : null;
  if (!frame) return null;
  if (frame.kind !== FRAME.log) return { text: `\u00b7 loader frame ${frame.kind & 0x7f}, ${frame.payload.length} bytes` };
  try {
    const said = JSON.parse(new TextDecoder().decode(frame.payload)) as { ms?: unknown; tag?: unknown; text?: unknown; code?: unknown };
    const seconds = typeof said.ms === 'number' ? (said.ms / 1000).toFixed(3) : '';
    return {
      text: `${seconds} ${String(said.tag)} ${String(said.text)}`.trim(),
      ...(typeof said.code === 'string' && { code: said.code }),
    };
  } catch {
    return null;
  }
}

/** Share of bytes that read as text, 0…1; `null` where too few came to tell. Low: another rate, most likely. */
export function readableShare(bytes: Uint8Array, least = 24): number | null {
  if (bytes.length < least) return null;
  const text = new TextDecoder().decode(bytes);
  // eslint-disable-next-line no-control-regex -- counted, not shown
  const strange = [...text].filter((letter) => letter === '\ufffd' || /[\x00-\x08\x0b\x0c\x0e-\x1a\x1c-\x1f\x7f]/.test(letter)).length;
  return 1 - strange / text.length;
}
