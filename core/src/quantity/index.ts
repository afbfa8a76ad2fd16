export * from './format';
