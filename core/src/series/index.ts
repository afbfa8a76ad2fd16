export * from './quality';
export * from './months';
export * from './rollup';
export * from './robust';
export * from './likely-cause';
