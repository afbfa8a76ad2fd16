export { boardProfileSchema, capabilitySchema, pinVoltsMax, type BoardProfile, type Capability, type Pin, type Port } from './board';
export * from './other';
export {
  defaultThresholdSchema,
  feedOf,
  feedSchema,
  partProfileSchema,
  signalSchema,
  type DefaultThreshold,
  type Feed,
  type PartProfile,
  type Signal,
  type Terminal,
} from './part';
export {
  livesOnBattery,
  packMilliamps,
  packVolts,
  roleOf,
  supplyProfileSchema,
  supplyRoleSchema,
  type SupplyProfile,
  type SupplyRole,
} from './supply';
