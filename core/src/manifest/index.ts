export * from './manifest';
export * from './semver';
