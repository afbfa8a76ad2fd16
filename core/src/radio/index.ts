export * from './channel';
export * from './link';
export * from './path-loss';
