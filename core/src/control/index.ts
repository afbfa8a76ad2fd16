export * from './leased-output';
export * from './output';
