import { FakeNode, openHouse, type Body, type House } from './house';

const ZONE = 'Asia/Kathmandu';

let house: House;
let link: FakeNode;
beforeAll(async () => {
  house = await openHouse({ DEWPOST_JOBS_BY_CLOCK: '0' }, 'taken as done', { timezone: ZONE });
  const made = await house.node('loft-1', 'Grain loft');
  link = await FakeNode.connect(house.server.mqttPort, 'loft-1', made.key);
});
afterAll(async () => {
  await link?.end();
  await house?.close();
});

describe('a probe that sends counts', () => {
  let bed: FakeNode;
  let point: number;
  beforeAll(async () => {
    const draft = {
      ...{ board: 'wifi-dual-38', supply: 'usb', reportSeconds: 60, eventsPerDay: 0, outdoors: false, cableMetres: 0.5 },
      ...{ fixed: {}, dividers: {}, parts: [{ ref: 'bed', part: 'soil-analog' }] },
    };
    await house.maker.post('/api/v1/build-sheets', { name: 'Bed', draft, base: null });
    const { body } = await house.maker.post('/api/v1/nodes', { id: 'bed-1', room: 'Fern house', buildSheet: 'Bed' });
    bed = await FakeNode.connect(house.server.mqttPort, 'bed-1', body.key);
    point = body.points[0].id;
  });
  afterAll(() => bed.end());
  const readings = async (): Promise<Body> => (await house.maker.get('/api/v1/points/bed-1/soil-moisture/readings?level=raw')).body;
  const seen = async (): Promise<Body> => (await house.maker.get('/api/v1/snapshot')).body.points.find(({ id }: Body) => id === point);
  const path = '/api/v1/points/bed-1/soil-moisture/calibrations';
  const captures = [
    { raw: 2800, reference: 5 },
    { raw: 1300, reference: 35 },
  ];

  it('is shown in counts and trips nothing until somebody calibrates it', async () => {
    expect(await seen()).toMatchObject({ unit: 'counts', max: 4095, uncalibrated: true, calibratesTo: { unit: '%', max: 60 } });
    const rules = (await house.maker.get('/api/v1/thresholds')).body.filter((rule: Body) => rule.point === point);
    expect(rules).toHaveLength(1);
    // Below 15, were it percent; at the end of the converter; beyond it.
    for (const [raw, quality, reason] of [
      [10, 0, 0],
      [0, 1, 5],
      [4096, 2, 1],
    ] as const) {
      const at = Date.now();
      await bed.up([{ n: 'soil-moisture', t: at / 1000, v: raw }]);
      expect(
        await house
          .database('reading')
          .where({ point_id: point, at: new Date(at) })
          .first('raw', 'quality', 'reason'),
      ).toEqual({
        raw,
        quality,
        reason,
      });
    }
    expect(bed.refused.map(({ why }) => why)).toEqual([
      'outside what the sensor can measure (0 to 4\u2009095 counts): stored as bad, not used',
    ]);
    expect((await house.maker.get('/api/v1/alerts')).body.filter((alert: Body) => alert.point === point)).toEqual([]);
  });

  it('calibrated, all of its record is in percent, and what then cannot be is bad', async () => {
    const { body } = await house.maker.post(path, { method: 'two-point', captures });
    expect(body.reconverted).toBe(3);
    expect(await seen()).toMatchObject({ unit: '%', max: 60, uncalibrated: false });
    const { readings: kept, raw } = await readings();
    expect(kept.map(([, value, quality]: number[]) => [Math.round(value!), quality])).toEqual([
      [61, 0],
      [61, 1],
      [-21, 2],
    ]);
    expect(raw).toEqual([
      [10, 1],
      [0, 1],
      [4096, 1],
    ]);
    await bed.up([{ n: 'soil-moisture', v: 2400 }]);
    expect((await readings()).readings.at(-1)[1]).toBeCloseTo(13, 9);
  });

  it('its last calibration stays while rules hang on it; without rules everything is as it came', async () => {
    const refused = await house.maker.call('DELETE', `${path}/1`);
    expect([refused.status, refused.body.detail]).toEqual([
      409,
      expect.stringMatching(/told in counts, and its rule would be judged no longer/),
    ]);
    const [rule] = (await house.maker.get('/api/v1/thresholds')).body.filter((one: Body) => one.point === point);
    await house.maker.call('DELETE', `/api/v1/thresholds/${rule.id}`);
    expect((await house.maker.call('DELETE', `${path}/1`)).status).toBe(200);
    const { readings: kept, raw } = await readings();
    expect(kept.map(([, value]: number[]) => value)).toEqual(raw.map(([value]: number[]) => value));
    // What the converter cannot have given stays bad; what was bad for its percentage alone is not.
    expect(kept.map(([, , quality]: number[]) => quality)).toEqual([0, 1, 2, 0]);
    expect(await seen()).toMatchObject({ unit: 'counts', uncalibrated: true });
  });
});
