export * from './alone';
export * from './daily';
export * from './first-order';
export * from './leased-output';
export * from './output';
export * from './response-fit';
export * from './wear';
export * from './with-response';
export { batteryLow, judgeControl, type ControlVerdict, type Expectation } from './effect';
