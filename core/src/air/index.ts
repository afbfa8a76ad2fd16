export * from './humidity';
export * from './saturation';
