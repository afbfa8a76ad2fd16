import { calibrate, references, type Reference } from '@dewpost/contract';
import { TestBed } from '@angular/core/testing';
import { Api, ApiError } from '../data/api';
import { aCalibration, aNode, NOON, Rig } from '../testing/rig';
import { InstrumentChoice } from './instrument-choice';
import { RecordsPage, type CalibrationRecord } from './records-page';
import { ReferencesPage } from './references-page';

const DAY = 86_400_000;
const aRecord = (change: Partial<CalibrationRecord> = {}): CalibrationRecord => ({
  ...aCalibration({
    version: 2,
    method: 'two-point',
    captures: [
      { reference: 0, raw: 0.4 },
      { reference: 20, raw: 20.2 },
    ],
    ...{ coefficients: { gain: 1.0101, offset: -0.404 }, uncertainty: 0.12, dueAt: NOON + 365 * DAY, note: 'in ice water' },
    instrument: { id: 1, name: 'Glass thermometer', certificate: 'WM-0412', overdue: false },
  }),
  ...{ point: 1, node: 'loft-climate', name: 'temperature', label: 'Air temperature', unit: '°C' },
  ...change,
});
const aReference = (change: Partial<Reference> = {}): Reference => ({
  ...{ id: 1, name: 'Glass thermometer', unit: '°C', low: -10, high: 60, uncertainty: 0.1, certificate: 'WM-0412' },
  ...{ certifiedAt: NOON - 400 * DAY, dueAt: NOON + 10_000 * DAY, madeBy: 'millwright', used: 3 },
  ...change,
});

describe('the records of calibrations', () => {
  const open = (answer: unknown) => Rig.open(RecordsPage, { snapshot: { nodes: [aNode()] }, answers: [[calibrate.records, answer]] });

  it('open into a sheet to print: who, beside what, each capture with what it is off by', async () => {
    const rig = await open([aRecord()]);
    const [line] = [...rig.element.querySelectorAll<HTMLButtonElement>('button.record')];
    line?.click();
    await rig.settle();
    expect(rig.text).toContain('Glass thermometer, WM-0412');
    expect(rig.text).toContain('in ice water');
    expect(rig.rows('tbody tr')).toEqual(['1 0.4 0.00 °C 0.00 °C 0.00 °C', '2 20.2 20.00 °C 20.00 °C 0.00 °C']);
    window.print = jest.fn();
    await rig.press('Print');
    expect(window.print).toHaveBeenCalled();
  });

  it('a table of them is taken in by a maker: what became of each row is said, and a refusal is', async () => {
    const rig = await Rig.open(RecordsPage, {
      snapshot: { nodes: [aNode()], me: { name: 'millwright', role: 'maker' } },
      answers: [[calibrate.records, [aRecord()]]],
    });
    const page = rig.fixture.componentInstance as unknown as { take(file: File): Promise<void> };
    const fetchJson = jest.fn().mockResolvedValueOnce([
      { row: 2, node: 'loft-climate', point: 'temperature', version: 3, refused: null },
      { row: 3, node: 'loft-climate', point: 'colour', version: null, refused: 'there is no such point' },
    ]);
    Object.assign(TestBed.inject(Api), { fetchJson });
    await page.take(new File(['x'], 'calibrations.csv'));
    await rig.settle();
    expect(rig.text).toContain('1 kept, 1 passed over');
    expect(rig.rows('tbody tr')).toEqual(['2 loft-climate/temperature version 3', '3 loft-climate/colour there is no such point']);
    fetchJson.mockRejectedValueOnce(new ApiError(422, 'A table of calibrations has the heads node, point'));
    await page.take(new File(['x'], 'other.csv'));
    await rig.settle();
    expect(rig.text).toContain('other.csv was not taken in. A table of calibrations has the heads');
  });

  it('a keeper takes no table in', async () => {
    const rig = await Rig.open(RecordsPage, {
      snapshot: { nodes: [aNode()], me: { name: 'baker', role: 'keeper' } },
      answers: [[calibrate.records, [aRecord()]]],
    });
    expect(rig.text).not.toContain('Take a table in');
  });

  it('say what nobody has said, what was overdue, and what was withdrawn', async () => {
    const overdue = { id: 1, name: 'Glass thermometer', certificate: '', overdue: true };
    const rig = await open([
      aRecord({ instrument: overdue, withdrawnAt: NOON, withdrawnBy: 'baker' }),
      aRecord({ version: 1, instrument: null }),
    ]);
    const lines = [...rig.element.querySelectorAll<HTMLButtonElement>('button.record')];
    expect(lines[0]?.textContent).toMatch(/withdrawn/);
    lines[0]?.click();
    await rig.settle();
    expect(rig.text).toContain('Glass thermometer, without a certificate; it was past its own day');
    expect(rig.text).not.toContain('Inherited');
    await rig.press('All records');
    [...rig.element.querySelectorAll<HTMLButtonElement>('button.record')][1]?.click();
    await rig.settle();
    expect(rig.text).toContain('nobody has said');
  });

  it('of what was inherited say from where, and that nobody has confirmed it here', async () => {
    const rig = await open([aRecord({ inherited: { from: 'loft-1, version 1', confirmedAt: null, confirmedBy: null } })]);
    const line = rig.element.querySelector<HTMLButtonElement>('button.record');
    expect(line?.textContent).toContain('inherited, not confirmed');
    line?.click();
    await rig.settle();
    expect(rig.text).toContain('from loft-1, version 1, not confirmed here');
  });

  it('are narrowed by words, and say when there are none or no answer', async () => {
    const rig = await open([aRecord(), aRecord({ version: 1, node: 'loft-climate', label: 'Humidity', unit: '%' })]);
    await rig.fill('input', 'humidity');
    expect(rig.element.querySelectorAll('button.record')).toHaveLength(1);
    await rig.fill('input', 'nobody knows');
    expect(rig.text).toContain('None of them has these words.');
    expect((await open([])).text).toContain('Nothing was calibrated yet');
    expect((await open(new Error('no line to the server'))).text).toContain('no line to the server');
  });
});

describe('the instruments', () => {
  const open = (answer: unknown, role: 'maker' | 'keeper' = 'maker', added: unknown = aReference()) =>
    Rig.open(ReferencesPage, {
      snapshot: { nodes: [aNode()], me: { name: 'millwright', role } },
      answers: [
        [references.list, answer],
        [references.add, added],
        [references.renew, aReference()],
        [references.retire, {}],
      ],
    });

  it('stand with what each shows and when it is due; what is past its day is counted', async () => {
    const rig = await open([aReference({ dueAt: NOON - 1000 * DAY }), aReference({ id: 2, name: 'Meter', unit: 'V', dueAt: null })]);
    expect(rig.text).toContain('2 instruments, 1 past its day');
    expect(rig.text).toContain('-10 to 60 °C');
    expect(rig.text).toContain('nobody has said');
  });

  it('are added once what is typed can be: nothing of it is lost on a refusal', async () => {
    const rig = await open([]);
    await rig.press('Add an instrument');
    await rig.press('Keep it');
    expect(rig.text).toContain('Not kept: see the fields.');
    await rig.fill('#r-name', 'Glass thermometer');
    for (const [field, value] of [
      ['low', '-10'],
      ['high', '-20'],
      ['sure', '0.1'],
    ] as const)
      await rig.fill(`#r-${field}`, value);
    await rig.press('Keep it');
    expect(rig.text).toContain('more than the lowest it shows');
    expect(rig.asked(references.add)).toEqual([]);
    await rig.fill('#r-high', '60');
    await rig.press('Keep it');
    expect(rig.asked(references.add).map(({ body }) => body)).toEqual([
      { name: 'Glass thermometer', unit: '°C', low: -10, high: 60, uncertainty: 0.1, certificate: '', certifiedAt: null, dueAt: null },
    ]);
  });

  it('are taken out of use after a question; keepers only look', async () => {
    const rig = await open([aReference()]);
    await rig.press('Take out Glass thermometer');
    expect(rig.asked(references.retire)).toEqual([]);
    await rig.press('Take out');
    expect(rig.asked(references.retire)).toHaveLength(1);
    const keeper = await open([aReference()], 'keeper');
    expect(() => keeper.button('Renew Glass thermometer')).toThrow();
  });

  it('at a calibration are those of its unit, with what cannot have come from them', async () => {
    const rig = await Rig.open(InstrumentChoice, {
      snapshot: {},
      answers: [[references.list, [aReference(), aReference({ id: 2, name: 'Meter', unit: 'V' })]]],
      inputs: { unit: '°C', captures: [{ reference: 70, raw: 69 }] },
    });
    await rig.fill('mat-select', 'Glass thermometer, ± 0.1 °C');
    expect(rig.fixture.componentInstance.chosen()?.id).toBe(1);
    expect(rig.text).toContain('Glass thermometer shows -10 to 60 °C: 70 °C is outside of it');
    await expect(rig.fill('mat-select', 'Meter, ± 0.1 V')).rejects.toThrow(/there is no/);
  });
});
