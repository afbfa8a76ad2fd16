export * from './mqtt-bytes';
export * from './storage';
