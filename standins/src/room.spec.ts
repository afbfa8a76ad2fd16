import { absoluteHumidityGramsPerCubicMetre } from '@dewpost/core/air';
import { Networks } from './network';
import { Room } from './room';

const data = {
  celsius: 25,
  swingCelsius: 0,
  swingSeconds: 1800,
  startPercent: 70,
  restPercent: 50,
  humidifiedPercent: 90,
  tauSeconds: 100,
};
const rise = (from: number, to: number, t: number): number => to + (from - to) * Math.exp(-t / data.tauSeconds);

describe('a simulated room', () => {
  it('follows the first-order solution, however it is sampled', () => {
    const coarse = new Room(data, 0);
    const fine = new Room(data, 0);
    for (let t = 0; t <= 60_000; t += 250) fine.percent(t);
    expect(coarse.percent(60_000)).toBeCloseTo(rise(70, 50, 60), 6);
    expect(fine.percent(60_000)).toBeCloseTo(coarse.percent(60_000), 6);
  });
  it('rises while a humidifier runs and falls after it, and two running ones are no more than one', () => {
    const room = new Room(data, 0);
    room.humidify('a', true, 0);
    room.humidify('b', true, 0);
    expect(room.percent(50_000)).toBeCloseTo(rise(70, 90, 50), 6);
    room.humidify('a', false, 50_000);
    expect(room.percent(51_000)).toBeGreaterThan(rise(70, 90, 50));
    room.humidify('b', false, 51_000);
    const before = room.percent(51_000);
    expect(room.percent(60_000)).toBeLessThan(before);
  });
  it('warmer air of the same moisture is drier', () => {
    const swinging = new Room({ ...data, swingCelsius: 5, restPercent: 70 }, 0);
    const grams = (t: number): number => absoluteHumidityGramsPerCubicMetre(swinging.celsius(t), swinging.percent(t))!;
    expect(swinging.celsius(450_000)).toBeCloseTo(30, 6);
    expect(grams(0)).toBeGreaterThan(0);
  });
});

describe('the simulated network', () => {
  it('lets in the right name and passphrase only, and nobody while it is down', () => {
    const networks = new Networks([{ name: 'wrenfold-nodes', passphrase: 'under the mill wheel', rssiDbm: -58 }]);
    const right = { name: 'wrenfold-nodes', passphrase: 'under the mill wheel' };
    expect(networks.join(right)).toEqual({ ok: true, rssiDbm: -58 });
    expect(networks.join({ ...right, passphrase: 'under the mill wheel ' })).toMatchObject({ ok: false, code: 'wrong-passphrase' });
    expect(networks.join({ ...right, name: 'wrenfold-node' })).toMatchObject({ ok: false, code: 'name-not-found' });
    networks.setUp('wrenfold-nodes', false);
    expect(networks.join(right)).toMatchObject({ ok: false });
  });
  it('a hidden network is in no scan by its name, and lets in who asks for it only; an open one takes no passphrase', () => {
    const networks = new Networks([
      { name: 'cellar', passphrase: 'nine sacks of barley', rssiDbm: -60, hidden: true },
      { name: 'guests', passphrase: null, rssiDbm: -70 },
    ]);
    expect(networks.heard()).toEqual([
      { name: '', dbm: -60 },
      { name: 'guests', dbm: -70 },
    ]);
    const cellar = { name: 'cellar', passphrase: 'nine sacks of barley' };
    expect(networks.join(cellar)).toMatchObject({ ok: false, code: 'name-not-found', heard: [{ name: '' }, { name: 'guests' }] });
    expect(networks.join({ ...cellar, hidden: true })).toEqual({ ok: true, rssiDbm: -60 });
    expect(networks.join({ name: 'guests', passphrase: null })).toEqual({ ok: true, rssiDbm: -70 });
    expect(networks.join({ name: 'guests', passphrase: 'nine sacks of barley' })).toMatchObject({ ok: false, code: 'wrong-passphrase' });
  });
});
