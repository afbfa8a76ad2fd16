export * from './acknowledgement';
export * from './consequences';
export * from './rates';
export * from './rehearsal';
export * from './shift';
export * from './threshold';
