// UTF-8 coding is in every place the core runs, but in no ECMAScript library that TypeScript ships; the DOM's is kept out of the core.
declare class TextEncoder {
  encode(text?: string): Uint8Array;
}
declare class TextDecoder {
  constructor(label?: 'utf-8', options?: { fatal?: boolean });
  decode(bytes?: Uint8Array): string;
}
