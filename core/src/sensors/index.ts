export * from './checksums';
export * from './converters';
export * from './frames';
export * from './level';
export * from './pressure-compensation';
export * from './resistance';
