export * from './first-readings';
export * from './fit';
export * from './read-backs';
