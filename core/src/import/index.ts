export * from './format';
export * from './line';
export * from './time';
