export * from './alone';
export * from './first-order';
export * from './leased-output';
export * from './output';
export { batteryLow, judgeControl, type ControlVerdict, type Expectation } from './effect';
