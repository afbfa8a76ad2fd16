export * from './sea-level';
export * from './standard-atmosphere';
