import { aNode, Rig } from '../../testing/rig';
import { FitList } from './fit-list';

describe('nodes to fit', () => {
  it('stand with those that hang there unarmed; planned ones are to be written first', async () => {
    const rig = await Rig.open(FitList, {
      snapshot: {
        nodes: [aNode(), aNode({ id: 'loft-fan', fittedAt: null }), aNode({ id: 'roof-rain', state: 'planned', fittedAt: null })],
      },
    });
    expect(rig.text).toContain('1 to fit; until then their thresholds and outputs are unarmed');
    const row = (name: string) => rig.rows().find((one) => one.startsWith(name));
    expect(row('loft-fan')).toMatch(/not yet: unarmed Fit it/);
    expect(row('roof-rain')).toMatch(/to be written first$/);
    expect(row('loft-climate')).toMatch(/Look/);
  });

  const waiting = (count: number) =>
    Array.from({ length: count }, (_, i) => aNode({ id: `loft-${i + 1}`, room: i % 2 === 0 ? 'Grain loft' : 'Cellar', fittedAt: null }));
  const names = (rig: Rig<FitList>): string[] => rig.rows().map((row) => row.split(' ')[0]!);
  const box = (rig: Rig<FitList>, node: string): HTMLElement =>
    [...rig.element.querySelectorAll<HTMLElement>('mat-checkbox')].find((one) =>
      one.querySelector('input')?.getAttribute('aria-label')?.includes(`${node} into`),
    )!;
  const tick = async (rig: Rig<FitList>, node: string, shiftKey = false): Promise<void> => {
    const input = box(rig, node).querySelector('input')!;
    input.dispatchEvent(new MouseEvent('mousedown', { shiftKey, bubbles: true }));
    input.click();
    await rig.settle();
  };
  const ticked = (rig: Rig<FitList>): string[] =>
    names(rig).filter((node) => box(rig, node)?.querySelector<HTMLInputElement>('input')?.checked);

  it('with Shift a tick takes all from the one before, as they stand in the list; without, one', async () => {
    const rig = await Rig.open(FitList, { snapshot: { nodes: waiting(6) } });
    await tick(rig, 'loft-2');
    await tick(rig, 'loft-5', true);
    expect(ticked(rig)).toEqual(['loft-2', 'loft-3', 'loft-4', 'loft-5']);
    await tick(rig, 'loft-4');
    expect(ticked(rig)).toEqual(['loft-2', 'loft-3', 'loft-5']);
    // Taken off by Shift as they were taken on.
    await tick(rig, 'loft-2', true);
    expect(ticked(rig)).toEqual(['loft-5']);
  });

  it('is sorted by its heads, names as a person has them, and goes on in pages of sixty', async () => {
    const rig = await Rig.open(FitList, { snapshot: { nodes: waiting(75) } });
    expect(names(rig)).toHaveLength(60);
    const head = (text: string): HTMLElement =>
      [...rig.element.querySelectorAll<HTMLElement>('th')].find((one) => one.textContent?.trim().startsWith(text))!;
    head('Node').click();
    await rig.settle();
    expect(names(rig).slice(0, 3)).toEqual(['loft-1', 'loft-2', 'loft-3']);
    head('Node').click();
    await rig.settle();
    expect(names(rig)[0]).toBe('loft-75');
    rig.element.querySelector<HTMLButtonElement>('.mat-mdc-paginator-navigation-next')!.click();
    await rig.settle();
    expect(names(rig)).toEqual(Array.from({ length: 15 }, (_, i) => `loft-${15 - i}`));
  });
});
