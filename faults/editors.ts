// Two people, and six at once, change the same thing again and again: nobody's work is lost without a word.
import { campaign } from './accounts';
import { House } from './house';

const ROUNDS = 50;
await campaign(House.open({ nodes: 1 }), async (house) => {
  const [threshold] = (await house.call('GET', '/api/v1/thresholds')).body as { id: number; version: number }[];
  if (!threshold) throw new Error('no threshold');
  let version = threshold.version;
  let refused = 0;
  for (let round = 0; round < ROUNDS; round++) {
    const [now] = (await house.call('GET', '/api/v1/thresholds')).body as Record<string, unknown>[];
    const { id: _id, point: _point, version: _version, phase: _phase, ...rule } = now ?? {};
    const answers = await Promise.all(
      Array.from({ length: 6 }, (_, i) =>
        house.call('PUT', `/api/v1/thresholds/${threshold.id}`, { ...rule, setpoint: 30 + ((round + i) % 20), from: version }),
      ),
    );
    const kept = answers.filter(({ status }) => status === 200);
    const others = answers.filter(({ status }) => status !== 200);
    if (kept.length !== 1 || others.some(({ status }) => status !== 409))
      throw new Error(`six changes from one version: ${answers.map(({ status }) => status).join(', ')}`);
    version++;
    refused += others.length;
  }
  console.log(`${ROUNDS} rounds of six changes at once: one kept each time, ${refused} refused with what is in force`);
});
