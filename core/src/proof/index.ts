export * from './drills';
export * from './force';
export * from './legs';
