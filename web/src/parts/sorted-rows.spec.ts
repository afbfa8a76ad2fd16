import { sortedRows } from './sorted-rows';

const ROWS = [
  { node: 'loft-10', volts: 3.1 },
  { node: 'loft-2', volts: 12 },
  { node: 'cellar-1', volts: 3.1 },
];
const KEYS = { node: ({ node }: (typeof ROWS)[number]) => node, volts: ({ volts }: (typeof ROWS)[number]) => volts };

describe('rows sorted by a column', () => {
  it('figures by their size, words as a person has them, both ways; alike stay as they came', () => {
    const sorted = sortedRows(() => ROWS, KEYS);
    const names = (): string[] => sorted.rows().map(({ node }) => node);
    expect(names()).toEqual(['loft-10', 'loft-2', 'cellar-1']);
    sorted.by({ active: 'node', direction: 'asc' });
    expect(names()).toEqual(['cellar-1', 'loft-2', 'loft-10']);
    sorted.by({ active: 'volts', direction: 'desc' });
    expect(names()).toEqual(['loft-2', 'loft-10', 'cellar-1']);
    sorted.by({ active: 'volts', direction: '' });
    expect(names()).toEqual(['loft-10', 'loft-2', 'cellar-1']);
    sorted.by({ active: 'tools', direction: 'asc' });
    expect(names()).toEqual(['loft-10', 'loft-2', 'cellar-1']);
    // The rows themselves were left as they are.
    expect(ROWS[0]!.node).toBe('loft-10');
  });
});
