export * from './access';
export * from './endpoint';
export * from './live';
export * from './plan';
export * from './provision';
export * from './respond';
export * from './watch';
