export * from './quality';
export * from './rollup';
export * from './robust';
export * from './likely-cause';
