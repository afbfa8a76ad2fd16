export * from './fit';
export * from './side-by-side';
export * from './tank';
export * from './raw';
