export * from './pattern';
