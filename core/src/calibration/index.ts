export * from './tank';
