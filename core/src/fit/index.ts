export * from './first-readings';
export * from './fit';
