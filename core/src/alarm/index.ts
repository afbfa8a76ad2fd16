export * from './acknowledgement';
export * from './rates';
export * from './threshold';
