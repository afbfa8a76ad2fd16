import type { Knot } from '@dewpost/core/alarm';
import { aPoint, Rig } from '../../testing/rig';
import { DrawnCourse } from './drawn-course';

const HOUR = 3_600_000;
const KNOTS: Knot[] = [
  { after: 0, value: 50 },
  { after: 4 * HOUR, value: 50 },
];

describe('a course drawn by hand', () => {
  const open = () => Rig.open(DrawnCourse, { inputs: { point: aPoint(), spanMs: 8 * HOUR, knots: KNOTS } });
  const knots = (rig: Awaited<ReturnType<typeof open>>) => [...rig.element.querySelectorAll<HTMLElement>('.knot')];
  const values = (rig: Awaited<ReturnType<typeof open>>) => rig.fixture.componentInstance.knots();

  it('its knots are moved by keys, within the scale and the span; Delete takes one away, never the last', async () => {
    const rig = await open();
    const press = async (place: number, key: string): Promise<void> => {
      knots(rig)[place]!.dispatchEvent(new KeyboardEvent('keydown', { key, cancelable: true }));
      await rig.settle();
    };
    await press(1, 'ArrowUp');
    await press(1, 'ArrowRight');
    expect(values(rig)[1]).toEqual({ after: 4 * HOUR + (8 * HOUR) / 48, value: 52.1 });
    expect(knots(rig)[1]!.getAttribute('aria-valuetext')).toBe('52.1 % after 4 h 10');
    for (let i = 0; i < 40; i++) await press(0, 'ArrowDown');
    await press(0, 'ArrowLeft');
    expect(values(rig)[0]).toEqual({ after: 0, value: 0 });
    await press(0, 'Delete');
    await press(0, 'Delete');
    expect(values(rig)).toHaveLength(1);
  });
  it('a press beside the line sets a knot, which is dragged until it is let go', async () => {
    const rig = await open();
    const svg = rig.element.querySelector('svg')!;
    Object.assign(svg, { setPointerCapture: () => undefined, getBoundingClientRect: () => new DOMRect(100, 0, 480, 120) });
    const point = async (type: string, clientX: number, clientY: number): Promise<void> => {
      svg.dispatchEvent(new MouseEvent(type, { clientX, clientY, bubbles: true }));
      await rig.settle();
    };
    await point('pointerdown', 220, 30);
    expect(values(rig)[2]).toEqual({ after: 2 * HOUR, value: 75 });
    await point('pointermove', 460, -50);
    expect(values(rig)[2]).toEqual({ after: 6 * HOUR, value: 100 });
    await point('pointerup', 460, -50);
    await point('pointermove', 200, 60);
    expect(values(rig)[2]).toEqual({ after: 6 * HOUR, value: 100 });
  });
});
