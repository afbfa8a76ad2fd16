// The clock of the server's machine is set, an hour forward and ten minutes back, while nodes report without a time of their own.
import { mkdirSync, writeFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { campaign } from './accounts';
import { House, seconds, until } from './house';

const folder = resolve(process.env['DEWPOST_FAULTS_DIR'] ?? '.data/faults');
mkdirSync(folder, { recursive: true });
const clock = `${folder}/clock`;
writeFileSync(clock, '0');
const opened = House.open({
  nodes: 4,
  env: { DEWPOST_FAULTS_CLOCK: clock },
  nodeArguments: ['--import', resolve('faults/shifted-clock.mjs')],
});
await campaign(opened, async (house) => {
  await house.begin();
  const [first] = house.nodes;
  if (!first) throw new Error('no node');
  const timers = house.nodes.map((node) => setInterval(() => void node.sayNow(70), 500));
  await seconds(3);
  let shift = 0;
  for (const step of [3_600_000, -600_000]) {
    shift += step;
    writeFileSync(clock, String(shift));
    await seconds(6);
    const alerts = await house.query('select id, title from alert');
    if (alerts.length > 0) throw new Error(`${alerts.length} alerts after a step of ${step / 60_000} min: ${JSON.stringify(alerts[0])}`);
    // On and off by hand work at once.
    for (const on of [true, false]) {
      const before = first.commands;
      const { status } = await house.call('POST', `/api/v1/relays/${first.output}/switch`, { on, seconds: 30, reason: '' });
      if (status !== 200) throw new Error(`switching ${on ? 'on' : 'off'} by hand answered ${status}`);
      await until(`the command ${on ? 'on' : 'off'}`, () => first.commands > before && first.toldOn === on, 10);
    }
  }
  timers.forEach((timer) => clearInterval(timer));
  const squeezed = await house.query<{ n: number }>(
    // What an output read back is a reading too, and a hand switches it on and off within some milliseconds.
    `select count(*)::int as n from (
       select at - lag(at) over (partition by point_id order by at) as gap
       from reading join point p on p.id = point_id where p.body->>'kind' = 'measured'
     ) g where gap < interval '100 ms'`,
  );
  if ((squeezed[0]?.n ?? 0) > 0) throw new Error(`${squeezed[0]?.n} readings were squeezed together`);
  console.log('the clock set an hour forward and ten minutes back: no alert, no reading squeezed, a hand obeyed');
});
