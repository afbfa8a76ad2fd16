/** Centre of a Wi-Fi channel, MHz; `null` for a channel that does not exist. Bands in GHz. Source: IEEE 802.11 channel numbering. */
export function channelMegahertz(band: 2.4 | 5 | 6, channel: number): number | null {
  if (!Number.isInteger(channel) || channel < 1) return null;
  if (band === 2.4) return channel === 14 ? 2484 : channel <= 13 ? 2407 + 5 * channel : null;
  if (band === 5) return channel <= 177 ? 5000 + 5 * channel : null;
  return channel === 2 ? 5935 : channel <= 233 ? 5950 + 5 * channel : null;
}

/** Rate of an OFDM mode, Mb/s: data subcarriers × bits a carrier × code rate / symbol time. Source: IEEE 802.11 rate tables. */
export const ofdmMegabits = (dataCarriers: number, bits: number, codeRate: number, symbolMicroseconds: number): number =>
  (dataCarriers * bits * codeRate) / symbolMicroseconds;
