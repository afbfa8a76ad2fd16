import fc from 'fast-check';

// The same draws on every machine: whether a change is good must not hang on luck. Fresh ones are drawn by `npm run faults`.
const wanted = process.env['DEWPOST_SEED'];
if (wanted !== 'fresh') fc.configureGlobal({ seed: wanted === undefined ? 20_261_126 : Number(wanted) });
