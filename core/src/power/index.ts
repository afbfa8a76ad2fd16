export * from './charge';
export * from './solar';
export * from './sun';
export * from './timer-resistor';
