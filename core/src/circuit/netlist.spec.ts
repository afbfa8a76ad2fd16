import fc from 'fast-check';
import { assignPins, feedOf, netFaults, wiringOf, type SheetDraft, type Wire } from '.';
import { draftOf, shipped, shippedWith } from './shipped.testing';
import type { PartProfile } from '.';

const wiresOf = (draft: SheetDraft, catalogue = shipped): Wire[] => {
  const result = assignPins(draft, catalogue);
  if (!result.ok) throw new Error(result.why);
  return wiringOf(draft, catalogue.boards.get(draft.board)!, catalogue, result.assignment);
};
const faultsOf = (draft: SheetDraft, wires = wiresOf(draft)) => netFaults(wires, draft, shipped.boards.get(draft.board)!, shipped);
const to = (wires: readonly Wire[], end: string): string[] => wires.filter((wire) => wire.to === end).map((wire) => wire.from);

describe('the wiring table as a netlist', () => {
  it('every shipped part on every shipped board with every supply: nothing shorts, every terminal once', () => {
    let looked = 0;
    for (const board of shipped.boards.keys())
      for (const supply of shipped.supplies.keys())
        for (const part of shipped.parts.keys()) {
          const draft = draftOf([{ ref: 'a', part }], { board, supply });
          if (!assignPins(draft, shipped).ok) continue;
          looked++;
          expect([board, supply, part, faultsOf(draft)]).toEqual([board, supply, part, []]);
        }
    expect(looked).toBeGreaterThan(5000);
  });
  it('and any mixture of them, however fed, driven and divided', () => {
    const place = fc.record({
      part: fc.constantFrom(...shipped.parts.keys()),
      feed: fc.constantFrom('always' as const, 'pin' as const, 'transistor' as const),
      drive: fc.constantFrom('pin' as const, 'transistor' as const),
      divided: fc.boolean(),
    });
    fc.assert(
      fc.property(
        fc.constantFrom(...shipped.boards.keys()),
        fc.constantFrom(...shipped.supplies.keys()),
        fc.constantFrom('board timer' as const, 'stays awake' as const, 'nanopower timer' as const),
        fc.array(place, { maxLength: 7 }),
        (board, supply, wake, places) => {
          const parts = places.map(({ part, feed, drive }, i) => ({ ref: `p${i}`, part, feed, drive }));
          const dividers = Object.fromEntries(
            places.flatMap(({ part, divided }, i) =>
              divided
                ? shipped.parts
                    .get(part)!
                    .terminals.map(
                      ({ name }) => [`p${i}.${name}`, { upperOhms: 10_000, lowerOhms: 20_000, switched: i % 2 === 0 }] as const,
                    )
                : [],
            ),
          );
          // Buses and outputs are never divided, nor a bus part fed by a pin: the editor does not offer it.
          const sound = parts.map((one) => {
            const profile = shipped.parts.get(one.part)!;
            const feedable = ['supply', 'resistor'].includes(feedOf(profile)) && !profile.output;
            return { ...one, feed: feedable ? one.feed : ('always' as const) };
          });
          const divisible = Object.fromEntries(
            Object.entries(dividers).filter(([id]) => {
              const [ref = '', terminal] = id.split('.');
              const { signal } = shipped.parts
                .get(parts.find((one) => one.ref === ref)!.part)!
                .terminals.find((one) => one.name === terminal)!;
              return (
                ['analog', 'pulse-in', 'digital-in', 'uart'].includes(signal) &&
                feedOf(shipped.parts.get(parts.find((one) => one.ref === ref)!.part)!) !== 'contact'
              );
            }),
          );
          const draft = draftOf(sound, { board, supply, wake, dividers: divisible });
          if (!assignPins(draft, shipped).ok) return;
          expect(faultsOf(draft)).toEqual([]);
        },
      ),
      { numRuns: 400, seed: 20261126 },
    );
  });
  it('a contact lies between its pin and ground, with no supply wire', () => {
    for (const part of ['reed-closed', 'reed-open', 'reed-chain', 'float-switch', 'rain-gauge', 'anemometer', 'vibration']) {
      const wires = wiresOf(draftOf([{ ref: 'c', part }]));
      const [terminal] = shipped.parts.get(part)!.terminals;
      expect(to(wires, 'c supply')).toEqual([]);
      expect(to(wires, 'c ground')).toEqual(['board ground']);
      expect(to(wires, `c ${terminal!.name}`)).toEqual([expect.stringMatching(/^pin /)]);
      expect(wires.find((wire) => wire.to === `c ${terminal!.name}`)!.through).toMatch(/1000 kΩ up to 3\.3 V/);
    }
    expect(wiresOf(draftOf([{ ref: 's', part: 'signal-level' }])).filter((wire) => /\bs /.test(wire.to))).toEqual([]);
  });
  it('finds the short that the table used to print: 3.3 V and ground across a contact', () => {
    const draft = draftOf([{ ref: 'door', part: 'reed-closed' }]);
    const plain = { colour: 'red', through: 'direct', ohms: 0, shunts: [] };
    const wires = wiresOf(draft).map((wire) => (wire.to === 'door contact' ? { ...wire, from: 'board 3.3 V' } : wire));
    expect(faultsOf(draft, wires)).toEqual([
      { kind: 'short', at: 'door', text: 'board 3.3 V and board ground are joined when door closes' },
    ]);
    expect(faultsOf(draft, [...wiresOf(draft), { ...plain, from: 'board 3.3 V', to: 'door supply' }])).toEqual([
      { kind: 'not wired', at: '', text: 'door supply is no terminal' },
    ]);
    expect(faultsOf(draft, [...wiresOf(draft), { ...plain, from: 'board 3.3 V', to: 'supply +' }])[0]?.kind ?? 'none').toBe('short');
    expect(
      faultsOf(
        draft,
        wiresOf(draft).filter((wire) => wire.to !== 'door ground'),
      ),
    ).toEqual([{ kind: 'not wired', at: 'door', text: 'door ground has no wire' }]);
  });
  it('says so on the sheet where a profile names terminals that short', () => {
    const wrong = shippedWith('relay-1', (profile: PartProfile) => ({
      ...profile,
      terminals: [{ ...profile.terminals[0]!, name: 'ground' }],
    }));
    const draft = draftOf([{ ref: 'r', part: 'relay-1' }]);
    const result = assignPins(draft, wrong);
    if (!result.ok) throw new Error(result.why);
    const wires = wiringOf(draft, wrong.boards.get(draft.board)!, wrong, result.assignment);
    expect(netFaults(wires, draft, wrong.boards.get(draft.board)!, wrong).map((fault) => fault.kind)).toContain('pin shorted');
  });
  it('serial wires cross: the board receives what the part transmits', () => {
    const draft = draftOf([{ ref: 'radar', part: 'presence-radar' }]);
    const result = assignPins(draft, shipped);
    if (!result.ok) throw new Error(result.why);
    const { pins, lines } = result.assignment;
    const pin = (needs: 'in' | 'out'): string =>
      `pin ${pins.get(lines.find((line) => line.signal === 'uart' && line.needs.includes(needs))!.id)!}`;
    const wires = wiresOf(draft);
    expect(to(wires, 'radar transmit')).toEqual([pin('in')]);
    expect(to(wires, 'radar receive')).toEqual([pin('out')]);
    expect(pin('in')).not.toBe(pin('out'));
  });
  it('a part of 5 V hangs on the supply, one of 12 V before the step-down, one of 3.3 V on the board', () => {
    expect(to(wiresOf(draftOf([{ ref: 'r', part: 'relay-1' }])), 'r supply')).toEqual(['supply +']);
    expect(to(wiresOf(draftOf([{ ref: 'v', part: 'valve' }], { supply: 'step-down-12' })), 'v supply')).toEqual([
      'supply + before the step-down',
    ]);
    expect(to(wiresOf(draftOf([{ ref: 'a', part: 'climate-i2c' }])), 'a supply')).toEqual(['board 3.3 V']);
  });
  it('a switched supply hangs on its pin, or behind a switch that its pin holds', () => {
    const soil = (feed: 'pin' | 'transistor') => wiresOf(draftOf([{ ref: 's', part: 'soil-analog', feed }]));
    expect(to(soil('pin'), 's supply')).toEqual([expect.stringMatching(/^pin /)]);
    expect(to(soil('transistor'), 's supply')).toEqual(['s switch out']);
    expect(to(soil('transistor'), 's switch in')).toEqual(['board 3.3 V']);
    expect(to(soil('transistor'), 's switch gate')).toEqual([expect.stringMatching(/^pin /)]);
    const thermistor = wiresOf(draftOf([{ ref: 't', part: 'thermistor', feed: 'pin' }]));
    expect(thermistor.find((wire) => wire.to === 't signal')!.through).toMatch(/10 kΩ up to pin \S+: its series resistor/);
  });
  it('a coil through a transistor has its diode the right way round', () => {
    const wires = wiresOf(draftOf([{ ref: 'r', part: 'relay-bare', drive: 'transistor' }]));
    expect(wires.find((wire) => wire.to === 'r plus')).toMatchObject({
      from: 'supply +',
      through: expect.stringMatching(/diode across it, cathode here/),
    });
    expect(to(wires, 'r transistor emitter')).toEqual(['board ground']);
    expect(to(wires, 'r minus')).toEqual(['r transistor collector']);
  });
});
