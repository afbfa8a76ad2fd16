export * from './quality';
export * from './rollup';
