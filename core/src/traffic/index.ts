export * from './mqtt-bytes';
export * from './storage';
export * from './site';
