export * from './datagram';
export * from './exchange';
