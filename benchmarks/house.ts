// The same as `latency` in a whole house: 2 000 rules over 200 nodes at 1 000 readings/s.
process.env['BENCH_HOUSE'] = '1';
await import('./latency');
export {};
