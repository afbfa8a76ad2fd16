export * from './comfort';
export * from './humidity';
export * from './saturation';
export * from './vapour';
