import { checkSheet, sheetDraftSchema, energyOf } from '.';
import drafts from './sheet-drafts.json';
import { shipped } from './shipped.testing';

/** What each faulty draft must be told, by the id of its check: common practice, worked out by hand. */
const WANTED: Record<string, { id: string; verdicts: string[]; says?: RegExp }> = {
  'soil probe always fed on a cell, hourly: weeks, not years': { id: 'always-fed', verdicts: ['fail'], says: /5\.0 mA asleep/ },
  'unswitched 20 kΩ divider across a cell': { id: 'divider-drain', verdicts: ['warn', 'fail'], says: /210 µA/ },
  'battery divider made for 4.2 V on four lithium cells': { id: 'adc-range', verdicts: ['fail'], says: /destroys the pin/ },
  'the same on 12 V lead-acid': { id: 'adc-range', verdicts: ['fail'], says: /destroys the pin/ },
  'flood float on a single-core board, battery': {
    id: 'pins',
    verdicts: ['fail'],
    says: /no pins for it: nothing at another pin ends its sleep/,
  },
  'flood float on a node cut off by a nanopower timer': { id: 'unseen', verdicts: ['fail'], says: /flood/i },
  'rain gauge on a node cut off by a nanopower timer': { id: 'unseen', verdicts: ['fail'] },
  'flood float on battery with a sign of life a day': { id: 'sign-of-life', verdicts: ['fail'] },
  'contact pulse alone, hourly thermometer': { id: 'no-clock', verdicts: ['fail'], says: /nothing is measured/ },
  'cup anemometer counted by a sleeping node': { id: 'pulses-asleep', verdicts: ['fail'] },
  'relay on a node that sleeps an hour': { id: 'lease', verdicts: ['fail'], says: /60 s/ },
  'access point that sleeps between reports': { id: 'gateway-sleeps', verdicts: ['fail'] },
  'lithium cell with panel outdoors': { id: 'frost', verdicts: ['warn'] },
  'power monitor to 26 V on a 24 V bank': { id: 'measured-volts', verdicts: ['fail'], says: /28 to 29 V/ },
  'presence radar always on, cell, hourly': { id: 'always-fed', verdicts: ['fail'], says: /in 1 days|120\.0 mA/ },
  'two serial parts on the 38-pin board': { id: 'pins', verdicts: ['pass'] },
  '5 V active-low relay module': { id: 'drive-level', verdicts: ['warn'], says: /never fall off/ },
  'two parts kept on one pin': { id: 'pins', verdicts: ['fail'], says: /a\.signal and b\.signal are both kept on pin 34/ },
  'analog sender on 40 m of cable': { id: 'analog-cable', verdicts: ['warn'], says: /noise/ },
};

describe('drafts with a known fault', () => {
  it.each(drafts.faulty.map((one) => [one.what, one] as const))('%s', (what, { draft }) => {
    const wanted = WANTED[what];
    if (!wanted) throw new Error(`nothing is said of what this draft must be told`);
    const { checks, assignment } = checkSheet(sheetDraftSchema.parse(draft), shipped);
    const found = checks.filter((check) => check.id === wanted.id && wanted.verdicts.includes(check.verdict));
    expect(found.map((check) => `${check.title} ${check.figure} ${check.limit} ${check.reason}`).join('\n')).toMatch(wanted.says ?? /./);
    if (what === 'two serial parts on the 38-pin board')
      expect([...assignment!.pins.values()].filter((pin) => ['1', '3'].includes(pin))).toEqual([]);
  });
  it('the soil probe lasts eighteen days as wired, and years once it is switched', () => {
    const draft = sheetDraftSchema.parse(drafts.faulty[0]!.draft);
    const days = (d: typeof draft) => energyOf(d, shipped, () => 0.5)!.days!.likely;
    // 2600 mAh, 0.85 usable, at 5 mA: 442 h are 18.4 days; the middle draw takes 0.925 of the charge.
    expect(days(draft)).toBeGreaterThan(14);
    expect(days(draft)).toBeLessThan(18.5);
    const fix = checkSheet(draft, shipped).checks.find((check) => check.id === 'always-fed')!.fix!;
    expect(days(fix.draft)).toBeGreaterThan(300);
    expect(checkSheet(fix.draft, shipped).checks.filter((check) => check.verdict === 'fail')).toEqual([]);
  });
});

describe('drafts that are fine', () => {
  it.each(drafts.fine.map((one) => [one.what, one] as const))('%s', (_, { draft }) => {
    const { checks } = checkSheet(sheetDraftSchema.parse(draft), shipped);
    expect(checks.filter((check) => check.verdict === 'fail')).toEqual([]);
  });
});
