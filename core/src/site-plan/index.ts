export * from './geojson';
export * from './geometry';
export * from './plan';
