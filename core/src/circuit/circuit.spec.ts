import fc from 'fast-check';
import { assignPins, checkSheet, linesOf, pinSuits, proposeDivider, dividerVolts, type SheetDraft } from '.';
import { draftOf, foundIn, shipped, shippedFiles, shippedProfiles, verdictsOf } from './shipped.testing';

let refs = 0;
const place = (part: string, more: Partial<SheetDraft['parts'][number]> = {}) => ({ ref: `p${++refs}`, part, ...more });
const draft = draftOf;
const found = foundIn;
const verdicts = verdictsOf;
const catalogue = shipped;
const relay = (load: Partial<NonNullable<SheetDraft['parts'][number]['load']>> = {}) =>
  place('relay-1', { load: { name: 'Humidifier', kind: 'resistive', amps: 1, safe: 'off', machine: 'none', protectedBy: '', ...load } });

describe('the catalogue that ships', () => {
  it('has boards, parts and supplies enough, each file named by its id', () => {
    expect([catalogue.boards.size >= 8, catalogue.parts.size >= 35, catalogue.supplies.size >= 8]).toEqual([true, true, true]);
    shippedFiles.forEach((file, i) => expect(file).toContain(`${shippedProfiles[i]!.id}.json`));
  });
  it('every part fits alone on the largest board', () => {
    for (const part of catalogue.parts.keys()) expect([part, assignPins(draft([place(part)]), catalogue).ok]).toEqual([part, true]);
  });
});

describe('pins', () => {
  it('share buses, keep straps for last, and put analog where the radio leaves it alone', () => {
    const d = draft([
      place('climate-i2c'),
      place('light-i2c'),
      place('thermometer-single-wire'),
      place('soil-thermometer'),
      place('soil-analog'),
      relay(),
    ]);
    const result = assignPins(d, catalogue);
    if (!result.ok) throw new Error(result.why);
    const { pins, lines } = result.assignment;
    expect(lines.map((line) => line.signal).sort()).toEqual(['analog', 'digital-out', 'i2c', 'i2c', 'single-wire']);
    const board = catalogue.boards.get('wifi-dual-38')!;
    const analog = board.pins.find((pin) => pin.name === pins.get(lines.find((line) => line.signal === 'analog')!.id))!;
    expect(analog.can).toContain('adc1');
    for (const name of pins.values()) expect(board.pins.find((pin) => pin.name === name)!.strap).toBeNull();
  });
  it('put two parts of one address apart, by another address or a second bus', () => {
    const two = assignPins(draft([place('climate-i2c'), place('climate-i2c')]), catalogue);
    expect(two.ok && [...two.assignment.addresses.values()].sort()).toEqual([0x44, 0x45]);
    const three = assignPins(draft([place('co2-i2c'), place('co2-i2c')]), catalogue);
    expect(three.ok && three.assignment.lines.filter((line) => line.signal === 'i2c').length).toBe(4);
  });
  it('say which parts cannot stand together, and what would help', () => {
    const d = draft([place('climate-i2c'), place('soil-analog'), place('thermistor')], { board: 'wifi-single-30' });
    const result = assignPins(d, catalogue);
    expect(result.ok).toBe(false);
    if (result.ok) return;
    expect(result.conflict).toEqual([d.parts[1]!.ref, d.parts[2]!.ref]);
    expect(result.why).toMatch(/2 lines need analog and the board has 1 pin for them: add the external converter/);
  });
  it('wake a battery node only from pins that can', () => {
    const d = draft([place('reed-open')], { board: 'wifi-dual-bare', supply: 'aa-lithium-2' });
    const result = assignPins(d, catalogue);
    const board = catalogue.boards.get('wifi-dual-bare')!;
    expect(result.ok && board.pins.find((pin) => pin.name === [...result.assignment.pins.values()][0])!.can).toContain('wake');
  });

  it('no assignment the solver returns ever breaks a check it knows', () => {
    const parts = fc.array(fc.constantFrom(...catalogue.parts.keys()), { maxLength: 10 });
    fc.assert(
      fc.property(
        fc.constantFrom(...catalogue.boards.keys()),
        fc.constantFrom(...catalogue.supplies.keys()),
        parts,
        (board, supply, ids) => {
          const d = draft(
            ids.map((id) => place(id)),
            { board, supply },
          );
          const result = assignPins(d, catalogue);
          if (!result.ok) {
            // What is left of a conflict does not fit, and without any one of it the rest does.
            const conflict = d.parts.filter((part) => result.conflict.includes(part.ref));
            expect(assignPins({ ...d, parts: conflict }, catalogue).ok).toBe(false);
            for (const part of conflict)
              expect(assignPins({ ...d, parts: conflict.filter((one) => one !== part) }, catalogue).ok).toBe(true);
            return;
          }
          const { pins, lines } = result.assignment;
          expect(new Set(pins.values()).size).toBe(lines.length);
          const profile = catalogue.boards.get(board)!;
          for (const line of lines)
            expect(
              pinSuits(
                profile,
                line,
                profile.pins.find((pin) => pin.name === pins.get(line.id))!,
              ),
            ).toBe(true);
          for (const check of checkSheet(d, catalogue).checks)
            expect(['pin-kept', 'i2c-address'].includes(check.id) && check.verdict === 'fail').toBe(false);
        },
      ),
      { numRuns: 150 },
    );
  });
});

describe('checks', () => {
  it('a good sheet passes', () => {
    const { checks } = checkSheet(draft([place('climate-i2c'), relay()]), catalogue);
    expect(checks.filter((check) => check.verdict === 'fail')).toEqual([]);
  });
  it('5 V on a pin, a coil without driver, a pin kept where it cannot be', () => {
    expect(verdicts(draft([place('level-ultrasonic')]), 'logic-volts')).toEqual(['fail']);
    const bare = draft([place('relay-bare')]);
    expect([verdicts(bare, 'coil'), verdicts(bare, 'pin-current')]).toEqual([['fail'], ['fail']]);
    const output = relay();
    const kept = draft([output], { fixed: { [`${output.ref}.in`]: '34' } });
    const check = found(checkSheet(kept, catalogue).checks, 'pin-kept')!;
    expect(check.reason).toMatch(/only read/);
    expect(verdicts(check.fix!.draft, 'pin-kept')).toEqual([]);
    // A pin that stands high at the start closes an active-high relay at every start; one that floats is held by a resistor.
    expect(verdicts(draft([output], { fixed: { [`${output.ref}.in`]: '5' } }), 'start-level')).toEqual(['fail']);
    expect(verdicts(draft([output], { fixed: { [`${output.ref}.in`]: '26' } }), 'start-level')).toEqual(['pass']);
  });
  it('more volts than the converter takes: the divider it proposes mends it', () => {
    const d = draft([place('battery-divider')], { board: 'wifi-dual-bare', supply: 'lithium-ion' });
    const check = found(checkSheet(d, catalogue).checks, 'adc-range')!;
    expect(check.verdict).toBe('fail');
    expect(verdicts(check.fix!.draft, 'adc-range')).toEqual(['pass']);
    fc.assert(
      fc.property(
        fc.double({ min: 1.2, max: 60, noNaN: true }),
        fc.double({ min: 0.8, max: 3.3, noNaN: true }),
        fc.boolean(),
        (volts, fullScale, battery) => {
          if (volts <= fullScale) return;
          const { upperOhms, lowerOhms } = proposeDivider({ volts }, fullScale, battery);
          const out = dividerVolts(volts, upperOhms, lowerOhms);
          expect(out).toBeLessThanOrEqual(fullScale);
          expect(out).toBeGreaterThan(fullScale * 0.8);
        },
      ),
    );
  });
  it('pull-ups of many modules side by side fall below the bus specification', () => {
    expect(verdicts(draft([place('climate-i2c')]), 'i2c-pull-up')).toEqual(['pass']);
    const many = [
      'light-i2c',
      'display',
      'climate-i2c',
      'climate-pressure-i2c',
      'adc16-i2c',
      'power-i2c',
      'uv-i2c',
      'light-infrared-i2c',
      'display',
    ].map((part) => place(part));
    expect(verdicts(draft(many.slice(0, 3)), 'i2c-pull-up')).toEqual(['pass']);
    // 4.7 kΩ three times and 10 kΩ six times side by side are 0.8 kΩ; UM10204 asks for at least 967 Ω at 3.3 V and 3 mA.
    expect(verdicts(draft(many), 'i2c-pull-up')).toContain('fail');
    expect(verdicts(draft([place('climate-i2c')], { cableMetres: 9 }), 'i2c-pull-up')).toEqual(['fail']);
  });
  it('outputs: rating by kind of load, fail-safe contact, protection of their own', () => {
    expect(verdicts(draft([relay({ amps: 7 })]), 'contact')).toEqual(['warn']);
    expect(verdicts(draft([relay({ amps: 3, kind: 'motor' })]), 'contact')).toEqual(['fail']);
    expect(verdicts(draft([relay({ machine: 'heater' })]), 'protection')).toEqual(['fail']);
    expect(verdicts(draft([relay({ machine: 'heater', protectedBy: 'thermal cut-out 40 °C' })]), 'protection')).toEqual(['pass']);
    const valve = place('valve', {
      load: { name: 'Frost flow', kind: 'dc' as const, amps: 0.3, safe: 'on' as const, machine: 'none' as const, protectedBy: '' },
    });
    expect(verdicts(draft([valve], { supply: 'step-down-12' }), 'fail-safe')).toEqual(['fail']);
    expect(verdicts(draft([relay({ safe: 'on' })]), 'fail-safe')).toEqual(['pass']);
  });
  it('a battery: sag at the end, a contact that drains, a supply that does not suit', () => {
    expect(verdicts(draft([place('climate-i2c')], { board: 'wifi-dual-bare', supply: 'aa-lithium-2' }), 'sag')).toEqual(['warn']);
    expect(verdicts(draft([place('climate-i2c')], { board: 'wifi-dual-bare', supply: 'primary-lithium' }), 'sag')).toEqual(['pass']);
    expect(verdicts(draft([place('reed-closed')], { board: 'wifi-dual-bare', supply: 'aa-lithium-2' }), 'contact-leak')).toEqual(['warn']);
    expect(verdicts(draft([place('contact-pulse')], { board: 'wifi-dual-bare', supply: 'aa-lithium-2' }), 'contact-leak')).toEqual([]);
    expect(verdicts(draft([], { supply: 'lithium-ion' }), 'supply-volts')).toEqual(['fail']);
  });
  it('the sag of a cell is its resistance times the peak, in volts; changing it is advised where the board still runs', () => {
    const post = draft([place('climate-i2c')], { board: 'wifi-dual-bare', supply: 'aa-lithium-2' });
    const sag = found(checkSheet(post, catalogue).checks, 'sag')!;
    // 0.8 Ω cold and near the end, 240 mA of the radio and 0.6 mA of the sensor: 0.19 V below 3.00 V.
    expect([sag.verdict, sag.figure, sag.limit]).toEqual(['warn', '2.81 V (sags 0.19 V)', '3.00 V']);
    expect(sag.reason).toMatch(/at 3\.19 V rested/);
    // Never below what the board needs, whatever the mark of the chemistry under load.
    for (const supply of catalogue.supplies.values()) {
      const advice = found(checkSheet({ ...post, supply: supply.id }, catalogue).checks, 'sag')?.reason ?? '';
      const volts = /at ([\d.]+) V rested/.exec(advice)?.[1];
      if (volts !== undefined) expect(Number(volts)).toBeGreaterThan(3);
    }
  });
  it('an output never stands on a strap of the level that switches it on', () => {
    const low = place('relay-low', { load: { name: 'Fan', kind: 'resistive', amps: 1, safe: 'off', machine: 'none', protectedBy: '' } });
    // Pin 12 must be low while the board starts, and low switches this module on.
    const kept = draft([low], { fixed: { [`${low.ref}.in`]: '12' } });
    expect([verdicts(kept, 'start-level'), verdicts(kept, 'pin-kept')]).toEqual([['fail'], ['fail']]);
    const high = relay();
    expect(verdicts(draft([high], { fixed: { [`${high.ref}.in`]: '12' } }), 'start-level')).toEqual(['pass']);
    const board = catalogue.boards.get('wifi-dual-38')!;
    const line = linesOf(draft([low]), catalogue).lines[0]!;
    expect(board.pins.filter((pin) => pin.strap === 'low' && pinSuits(board, line, pin))).toEqual([]);
  });
  it('asked faster than it can answer: the fix is taken', () => {
    const check = found(checkSheet(draft([place('co2-i2c')], { reportSeconds: 2 }), catalogue).checks, 'too-fast')!;
    expect(check.fix!.draft.reportSeconds).toBe(5);
    expect([4, 5, 6].map((reportSeconds) => verdicts(draft([place('co2-i2c')], { reportSeconds }), 'too-fast'))).toEqual([
      ['fail'],
      [],
      [],
    ]);
  });
  it('what is missing from the catalogue fails first', () => {
    expect(checkSheet(draft([place('no-such-part')], { board: 'no-such-board' }), catalogue).checks.map((check) => check.figure)).toEqual([
      'no-such-board',
      'no-such-part',
    ]);
  });
});
