export * from './cause';
export * from './lamp';
export * from './patience';
