export * from './alone';
export * from './leased-output';
export * from './output';
