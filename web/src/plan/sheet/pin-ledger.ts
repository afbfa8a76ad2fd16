import {
  GROUND,
  logicNet,
  SOURCE_PLUS,
  SUPPLY_PLUS,
  type Assignment,
  type BoardProfile,
  type Check,
  type Pin,
  type SheetDraft,
  type Signal,
  type Wire,
} from '@dewpost/core/circuit';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';

const ROW = 21;
const FIRST_COLUMN = 196;
const COLUMN = 42;
const HEAD = 46;

type Knot = 'bus' | 'analog' | 'digital';
const KNOT: Record<Signal, Knot> = {
  i2c: 'bus',
  'single-wire': 'bus',
  uart: 'bus',
  'single-bus': 'bus',
  analog: 'analog',
  'digital-in': 'digital',
  'pulse-in': 'digital',
  contact: 'digital',
  'digital-out': 'digital',
  'pwm-out': 'digital',
};
const SHAPE: Record<Knot, string> = {
  bus: 'M0 -6 6 0 0 6 -6 0Z',
  analog: 'M-5 0a5 5 0 1 0 10 0a5 5 0 1 0 -10 0',
  digital: 'M-4.5 -4.5H4.5V4.5H-4.5Z',
};

/** Letter of the `i`th part of a sheet. */
export const letterOf = (i: number): string => String.fromCharCode(65 + (i % 26)) + (i >= 26 ? String(Math.floor(i / 26)) : '');

/** Rows are the board's pins, columns the parts; a knot where they meet. Failing knots are ringed solid, warned ones dashed. */
@Component({
  selector: 'dp-pin-ledger',
  templateUrl: './pin-ledger.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PinLedger {
  readonly draft = input.required<SheetDraft>();
  readonly board = input.required<BoardProfile>();
  readonly wires = input<readonly Wire[]>([]);
  readonly assignment = input<Assignment | null>(null);
  readonly checks = input<readonly Check[]>([]);
  protected readonly shapes = SHAPE;
  protected readonly firstColumn = FIRST_COLUMN;

  protected readonly columns = computed(() =>
    this.draft().parts.map((place, i) => ({
      ref: place.ref,
      letter: letterOf(i),
      name: place.ref.slice(0, 9),
      x: FIRST_COLUMN + i * COLUMN,
    })),
  );
  private readonly worst = computed(() => {
    const at = new Map<string, 'fail' | 'warn'>();
    for (const check of this.checks()) {
      if (check.verdict === 'pass' || check.at === '') continue;
      if (at.get(check.at) !== 'fail') at.set(check.at, check.verdict);
    }
    return at;
  });
  protected readonly rows = computed(() => {
    const { pins } = this.board();
    // What the wiring table itself says, so that the two never differ.
    const power = (name: string, says: string, net: string) => ({
      name,
      says,
      power: true,
      used: true,
      reserved: false,
      knots: this.columns()
        .filter(({ ref }) => this.wires().some((wire) => wire.from === net && wire.to.startsWith(`${ref} `)))
        .map(({ x }, i) => ({ x, power: true, kind: 'digital' as Knot, terminal: '', ring: null, first: i === 0 })),
    });
    // A rail that feeds nothing would only raise the question what it is.
    const rails = [
      power(`${this.board().logicVolts} V`, 'the board’s own', logicNet(this.board())),
      ...[power('+', 'its supply', SUPPLY_PLUS), power('++', 'before the step-down', SOURCE_PLUS)].filter((rail) => rail.knots.length > 0),
      power('GND', 'ground', GROUND),
    ].map((rail, i) => ({ ...rail, y: HEAD + 10 + i * ROW }));
    const order = (pin: Pin): number => (Number.isFinite(Number(pin.name)) ? Number(pin.name) : 900);
    const used = new Set(this.assignment()?.pins.values() ?? []);
    // Pins in use come first: the rest is what is left to choose from.
    const rank = (pin: Pin): number => (used.has(pin.name) ? 0 : pin.reserved === null ? 1000 : 2000) + order(pin);
    const signals = [...pins]
      .sort((a, b) => rank(a) - rank(b))
      .map((pin, i) => {
        const lines = (this.assignment()?.lines ?? []).filter((line) => this.assignment()?.pins.get(line.id) === pin.name);
        const knots = lines.flatMap((line) =>
          line.terminals.map((id) => {
            const [ref = '', terminal = ''] = id.split('.');
            return {
              x: this.columns().find((column) => column.ref === ref)?.x ?? 0,
              power: false,
              kind: KNOT[line.signal],
              terminal,
              ring: this.worst().get(line.id) ?? this.worst().get(ref) ?? null,
              first: false,
            };
          }),
        );
        const last = Math.max(0, ...knots.map((knot) => knot.x));
        return {
          name: pin.name,
          says: saysOf(pin),
          y: HEAD + 10 + (i + rails.length) * ROW,
          power: false,
          used: lines.length > 0,
          reserved: pin.reserved !== null,
          knots: knots.map((knot) => ({ ...knot, first: knot.x === last })),
        };
      });
    return [...rails, ...signals];
  });
  protected readonly size = computed(() => ({
    width: Math.max(360, FIRST_COLUMN + this.columns().length * COLUMN + 34),
    height: HEAD + this.rows().length * ROW + 16,
  }));
  protected readonly summary = computed(
    () => `Pin ledger: ${[...(this.assignment()?.pins ?? [])].map(([line, pin]) => `${line} on pin ${pin}`).join(', ') || 'no pin given'}`,
  );
}

function saysOf(pin: Pin): string {
  if (pin.reserved) return `kept: ${pin.reserved}`;
  const can = [
    pin.can.includes('adc1') ? 'analog' : pin.can.includes('adc2') ? 'analog 2' : '',
    !pin.can.includes('out') ? 'reads only' : '',
    pin.can.includes('wake') ? 'wake' : '',
  ]
    .filter(Boolean)
    .join(', ');
  if (pin.strap) return `${pin.strap} at start`;
  if (pin.atStart === 'pulses') return 'pulses at start';
  return can || 'digital';
}
