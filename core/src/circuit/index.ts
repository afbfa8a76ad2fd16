export * from './divider';
export * from './driver';
export * from './preferred';
export * from './pull-up';
