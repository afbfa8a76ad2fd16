// The property tests of the core and the server, with draws of their own; a failure prints its seed.
import { run } from '../scripts/lib/run.mjs';

const rounds = Number(process.env['DEWPOST_ROUNDS'] ?? 5);
for (let round = 1; round <= rounds; round++) {
  console.log(`properties, round ${round} of ${rounds}`);
  await run('npm', ['test', '--', 'core', 'server', 'senml', 'fit', 'circuit', 'netlist', 'slots', 'alarm', 'wire', 'steady', 'clock'], {
    env: { ...process.env, DEWPOST_SEED: 'fresh' },
    stdio: ['ignore', 'ignore', 'inherit'],
  });
}
console.log('ok');
