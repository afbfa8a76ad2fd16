/** CRC-8 with the polynomial 0x31, highest bit first; `init` 0xFF or 0 by the sensor. Check: "123456789" is 0xF7 with 0xFF. */
export function crc8Of31(bytes: Uint8Array, init: number): number {
  let crc = init;
  for (const byte of bytes) {
    crc ^= byte;
    for (let bit = 0; bit < 8; bit++) crc = crc & 0x80 ? ((crc << 1) ^ 0x31) & 0xff : (crc << 1) & 0xff;
  }
  return crc;
}

/** CRC-8 of one-wire buses: the same polynomial, lowest bit first. All zeros pass it: refuse those beside. Check: "123456789" is 0xA1. */
export function crc8OneWire(bytes: Uint8Array): number {
  let crc = 0;
  for (const byte of bytes) {
    crc ^= byte;
    for (let bit = 0; bit < 8; bit++) crc = crc & 1 ? (crc >> 1) ^ 0x8c : crc >> 1;
  }
  return crc;
}

/** CRC-16 of probes on a two-wire serial bus: 0x8005 reflected, begun with ones; its low byte is sent first. Check: "123456789" is 0x4B37. */
export function crc16Modbus(bytes: Uint8Array): number {
  let crc = 0xffff;
  for (const byte of bytes) {
    crc ^= byte;
    for (let bit = 0; bit < 8; bit++) crc = crc & 1 ? (crc >> 1) ^ 0xa001 : crc >> 1;
  }
  return crc;
}
