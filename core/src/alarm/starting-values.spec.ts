import { startingValues, usualSide, type MeasuredBy } from '.';

const point = (name: string, unit: string, more: Partial<MeasuredBy> = {}): MeasuredBy => ({
  ...{ name, unit, confirm: 'readings', min: 0, max: 100 },
  ...more,
});

it('limits are begun with as EEMUA 191 and ANSI/ISA-18.2 do for process signals; for what they do not name there is nothing', () => {
  const begun = (name: string, unit: string) => {
    const values = startingValues({ name, unit });
    return values && [values.of, values.deadbandShare, values.delaySeconds];
  };
  expect(begun('temperature-2', '°C')).toEqual(['temperature', 0.01, 60]);
  expect(begun('pressure', 'hPa')).toEqual(['pressure', 0.02, 15]);
  expect(begun('flow', 'L/min')).toEqual(['flow', 0.05, 15]);
  expect(begun('race-level', 'cm')).toEqual(['level', 0.05, 60]);
  // Percent of what, and how far what moves: only a level is one.
  expect([begun('humidity', '%'), begun('travel', 'mm'), begun('co2', 'ppm')]).toEqual([null, null, null]);
});

it('a limit is begun on the side on which its quantity harms', () => {
  expect(
    ['temperature °C', 'co2 ppm', 'race-level cm', 'dust µg/m³'].map((words) =>
      usualSide(point(words.split(' ')[0]!, words.split(' ')[1]!)),
    ),
  ).toEqual(['high', 'high', 'high', 'high']);
  expect(
    ['soil-moisture %', 'battery V', 'humidity %', 'tank-level %'].map((words) =>
      usualSide(point(words.split(' ')[0]!, words.split(' ')[1]!)),
    ),
  ).toEqual(['low', 'low', 'low', 'low']);
  // What has two states is open, or lifted: never too low.
  expect(usualSide(point('tank-float', '', { confirm: 'hold', max: 1 }))).toBe('high');
});
