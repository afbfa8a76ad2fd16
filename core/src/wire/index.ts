export * from './decode';
export * from './expired';
export * from './messages';
export * from './node-id';
export * from './senml';
export * from './topics';
export * from './update';
export * from './wake';
