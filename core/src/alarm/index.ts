export * from './acknowledgement';
export * from './rates';
export * from './shift';
export * from './threshold';
