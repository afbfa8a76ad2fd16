export * from './fit';
export * from './tank';
export * from './raw';
