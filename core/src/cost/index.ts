export * from './parts-list';
