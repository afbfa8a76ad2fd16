import { imports, type Import } from '@dewpost/contract';
import { aPoint, NOON, Rig } from '../../testing/rig';
import { ImportPage } from './import-page';

const anImport = (change: Partial<Import> = {}): Import => ({
  ...{ id: 3, name: 'roof-logger.csv', bytes: 8_000_000, state: 'read', progress: 1, error: null },
  settings: {
    separator: ';',
    decimalComma: true,
    dateOrder: 'day',
    timeColumn: 0,
    clock: null,
    map: [{ column: 1, point: 'loft-climate/temperature' }],
  },
  evidence: { separator: '4 fields in 9 of 9 lines', decimal: '7 with a comma, 0 with a point', order: '31.12. occurs' },
  columns: ['Time', 'Temp', 'Batt'],
  sample: [['01.12.2023 00:00', '3,8', '12,6']],
  asks: ['Say which clock the file kept: its times do not.'],
  ...{ lines: 2000, readings: 1990, bad: 32, from: NOON - 1000, to: NOON, madeBy: 'millwright', madeAt: NOON },
  found: [{ point: 'loft-climate/temperature', low: -7.1, high: 29.1, count: 1990 }],
  problems: [{ problem: 'no-value', words: 'no value: kept without it', count: 28, line: 14, text: '7,3; --' }],
  ...change,
});
const POINTS = [aPoint({ id: 1, name: 'temperature', label: 'Air temperature', unit: '°C' }), aPoint({ id: 2 })];
const open = async (
  file: Import,
  answers: NonNullable<Parameters<typeof Rig.open>[1]['answers']> = [],
  role: 'maker' | 'keeper' = 'maker',
) => {
  const rig = await Rig.open(ImportPage, {
    snapshot: { points: POINTS, me: { name: 'millwright', role } },
    answers: [[imports.list, [file]], [imports.one, file], ...answers],
    inputs: { id: '3' },
  });
  await rig.settle();
  await rig.settle();
  return rig;
};

describe('a file that is taken in', () => {
  it('shows what was noticed with its evidence, the columns and what does not fit; the clock is never preset', async () => {
    const rig = await open(anImport());
    expect(rig.text).toContain('7 with a comma, 0 with a point');
    expect(rig.text).toContain('31.12. occurs');
    expect(rig.text).toMatch(/Air temperature, loft-climate °C.*−7.1 to 29.1/);
    expect(rig.rows()).toEqual(['no value: kept without it 28 14 7,3; --']);
    expect(rig.element.querySelector('input[type=radio]:checked')).toBeNull();
    expect(rig.text).toContain('Say which clock the file kept');
    expect(rig.button('Keep').disabled).toBe(true);
  });
  it('what is said is read anew at once, and then it can be kept', async () => {
    const ready = anImport({ asks: [], settings: { ...anImport().settings, clock: 'UTC' } });
    const rig = await open(anImport(), [
      [imports.change, ready],
      [imports.keep, { ...ready, state: 'kept' }],
    ]);
    const page = rig.fixture.componentInstance as unknown as { becomes(column: number, id: number | null): Promise<void> };
    rig.element.querySelector<HTMLInputElement>('input[type=radio]')?.click();
    await rig.settle();
    expect(rig.asked(imports.change)[0]?.body).toMatchObject({ clock: 'UTC', decimalComma: true, map: [{ column: 1 }] });
    await page.becomes(2, 2);
    await page.becomes(1, null);
    expect(rig.asked(imports.change).map(({ body }) => (body as Import['settings']).map.map(({ point }) => point))).toEqual([
      ['loft-climate/temperature'],
      ['loft-climate/temperature', 'loft-climate/humidity'],
      [],
    ]);
    await rig.settle();
    await rig.press('Keep');
    expect(rig.text).toContain('What is kept');
    expect(rig.asked(imports.keep)).toHaveLength(1);
  });
  it('two choices in a row are both kept, though the second was made before the first was answered', async () => {
    const echo = ({ body }: { body?: unknown }): Import => anImport({ settings: body as Import['settings'], asks: [] });
    const rig = await open(anImport(), [[imports.change, echo]]);
    const page = rig.fixture.componentInstance as unknown as { becomes(column: number, id: number | null): Promise<void> };
    const mapped = page.becomes(2, 2);
    rig.element.querySelector<HTMLInputElement>('input[type=radio]')?.click();
    await mapped;
    await rig.settle();
    const [first, second] = rig.asked(imports.change).map(({ body }) => body as Import['settings']);
    expect([first?.clock, second?.clock]).toEqual([null, 'UTC']);
    expect(second?.map.map(({ point }) => point)).toEqual(['loft-climate/temperature', 'loft-climate/humidity']);
    expect(rig.element.querySelector<HTMLInputElement>('input[type=radio]')?.checked).toBe(true);
  });
  it('a refusal is said and nothing is lost; a keeper looks only', async () => {
    const rig = await open(anImport(), [[imports.change, new Error('The server does not answer.')]]);
    rig.element.querySelector<HTMLInputElement>('input[type=radio]')?.click();
    await rig.settle();
    expect(rig.element.querySelector('[role=alert]')?.textContent).toContain('The server does not answer.');
    expect(rig.text).toContain('roof-logger.csv');
    const looking = await open(anImport(), [], 'keeper');
    expect(looking.text).not.toContain('Choose a CSV');
    expect(() => looking.button('Keep')).toThrow(/no button/);
  });
  it('a knot is moved by arrows past what another row has, and let go of by Delete; the time moves too', async () => {
    const four = anImport({
      columns: ['Time', 'Temp', 'Hum', 'Batt'],
      sample: [['01.12.2023 00:00', '3,8', '89', '12,6']],
      settings: {
        ...anImport().settings,
        map: [
          { column: 1, point: 'loft-climate/temperature' },
          { column: 2, point: 'loft-climate/humidity' },
        ],
      },
    });
    const echo = ({ body }: { body?: unknown }): Import =>
      anImport({ columns: four.columns, sample: four.sample, settings: body as Import['settings'], asks: [] });
    const rig = await open(four, [[imports.change, echo]]);
    const knot = (label: string): HTMLButtonElement => rig.element.querySelector<HTMLButtonElement>(`.knot[aria-label^="${label}"]`)!;
    const key = async (label: string, name: string): Promise<Import['settings'] | undefined> => {
      knot(label).dispatchEvent(new KeyboardEvent('keydown', { key: name, bubbles: true }));
      await rig.settle();
      return rig.asked(imports.change).at(-1)?.body as Import['settings'];
    };
    // Hum is taken: from Temp it goes on to Batt, and no further.
    expect((await key('Air temperature', 'ArrowRight'))?.map).toContainEqual({ column: 3, point: 'loft-climate/temperature' });
    await key('Air temperature', 'ArrowRight');
    expect(rig.asked(imports.change)).toHaveLength(1);
    expect((await key('Humidity', 'Delete'))?.map).toEqual([{ column: 3, point: 'loft-climate/temperature' }]);
    expect((await key('Time', 'ArrowRight'))?.timeColumn).toBe(1);
    expect(rig.text).toMatch(/Hum 89/);
  });
  it('a keeper moves no knot', async () => {
    const looking = await open(anImport(), [], 'keeper');
    const knots = [...looking.element.querySelectorAll<HTMLButtonElement>('.knot')];
    expect(knots.map(({ disabled }) => disabled)).toEqual([true, true]);
  });
  it('the list asks once before all readings of a file are taken away', async () => {
    const rig = await Rig.open(ImportPage, {
      snapshot: { points: POINTS },
      answers: [
        [imports.list, [anImport({ state: 'kept' })]],
        [imports.remove, {}],
      ],
    });
    await rig.settle();
    await rig.press('Remove roof-logger.csv');
    expect(rig.text).toMatch(/Take away 1 990 readings and the file\?/);
    await rig.press('Remove');
    expect(rig.asked(imports.remove)[0]?.params).toEqual({ id: 3 });
  });
});
