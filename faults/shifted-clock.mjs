// Loaded before the server: its wall clock runs by as many milliseconds beside the machine's as stand in a file. Nobody can set the other clock.
import { readFileSync, watchFile } from 'node:fs';

const file = process.env.DEWPOST_FAULTS_CLOCK;
const read = () => Number(readFileSync(file, 'utf8'));
let shift = read();
watchFile(file, { interval: 100 }, () => (shift = read()));
const { now } = Date;
Date.now = () => now() + shift;
globalThis.Date = new Proxy(Date, {
  construct: (target, given) => Reflect.construct(target, given.length === 0 ? [now() + shift] : given),
});
