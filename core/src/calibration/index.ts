export * from './fit';
export * from './tank';
