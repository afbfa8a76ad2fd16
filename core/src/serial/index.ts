export * from './crc32';
export * from './frame';
export * from './link';
export * from './messages';
export * from './slip';
