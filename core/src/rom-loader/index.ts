export { bootSchema, type Boot } from './boot';
export { RomDriver } from './drive';
export type { SignalPort } from './drive';
export {
  FAMILY_REGISTER,
  FAMILY_WORDS,
  FAST_RATE,
  FIRST_RATE,
  isLater,
  PACKET_BYTES,
  ROM,
  ROM_FAMILIES,
  SECTOR_BYTES,
  statusBytes,
} from './numbers';
export type { RomFamily } from './numbers';
export { checksumOf, decodePacket, encodePacket, syncData, words } from './packets';
export type { RomPacket } from './packets';
export { cutParts, decodeConfigurationRegion, encodeConfigurationRegion, layoutFaults, md5Of } from './parts';
export { digestOf, enter, identify, prepare, prove, restart, RomError, write } from './session';
export type { FlashWrite, Progress, ResetWay, RomFault } from './session';
