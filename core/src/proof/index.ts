export * from './force';
export * from './legs';
