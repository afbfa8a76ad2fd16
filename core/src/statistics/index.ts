export * from './compare';
export * from './downsample';
export * from './smoothing';
export * from './student';
