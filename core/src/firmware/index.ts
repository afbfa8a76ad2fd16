export * from './export';
export * from '../manifest';
export * from './preflight';
