export * from './format';
export * from './read-decimal';
export * from './rounding';
export * from './time';
export * from './units';
export * from './unit-change';
export * from './words';
