export * from './flash-parts';
export * from './manifest';
export * from './semver';
