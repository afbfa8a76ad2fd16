export * from './quality';
