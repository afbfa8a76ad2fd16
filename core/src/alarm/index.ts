export * from './acknowledgement';
export * from './consequences';
export * from './engine-rule';
export * from './rates';
export * from './rehearsal';
export * from './severity';
export * from './shift';
export * from './threshold';
