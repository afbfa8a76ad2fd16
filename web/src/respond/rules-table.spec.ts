import { Rig } from '../testing/rig';
import { RulesTable } from './rules-table';

const asked: { url: string; body: string }[] = [];
const answers: unknown[] = [];
const before = globalThis.fetch;
beforeEach(() => {
  asked.length = answers.length = 0;
  globalThis.fetch = ((url: string, { body }: { body: string }) => {
    asked.push({ url, body });
    const answer = answers.shift();
    return answer instanceof Error ? Promise.reject(answer) : Promise.resolve({ json: () => Promise.resolve(answer) });
  }) as unknown as typeof fetch;
});
afterEach(() => (globalThis.fetch = before));

const row = (line: number, what: string, text = '') => ({ line, id: line, what, text });
async function take(rig: Rig<RulesTable>, text: string): Promise<void> {
  const field = rig.element.querySelector<HTMLInputElement>('input[type=file]')!;
  const file = Object.assign(new File([text], 'rules.csv'), { text: () => Promise.resolve(text) });
  Object.defineProperty(field, 'files', { value: [file], configurable: true });
  field.dispatchEvent(new Event('change'));
  await rig.settle();
  await rig.settle();
}

describe('rules as a table', () => {
  it('go out as a file, and in again only after a look at what would change', async () => {
    const rig = await Rig.open(RulesTable, {});
    expect(rig.element.querySelector('a')?.getAttribute('href')).toBe('/api/v1/thresholds.csv');
    answers.push({ preview: true, taken: false, changes: [row(2, 'unchanged'), row(3, 'changed', 'Loft, Humidity: 70 → 72 %')] });
    await take(rig, 'id\n1');
    expect(asked).toEqual([{ url: '/api/v1/thresholds.csv?preview=true', body: 'id\n1' }]);
    expect([rig.text.includes('1 rule would change; 1 rule as before'), rig.text.includes('70 → 72 %')]).toEqual([true, true]);
    answers.push({ preview: false, taken: true, changes: [] });
    await rig.press('Put 1 in force');
    expect(asked[1]).toEqual({ url: '/api/v1/thresholds.csv', body: 'id\n1' });
    expect(rig.text).toContain('1 rule in force as the table has them.');
  });

  it('with a row that cannot be, offers nothing to be put in force, and says the line and why', async () => {
    const rig = await Rig.open(RulesTable, {});
    answers.push({ preview: true, taken: false, changes: [row(2, 'changed', 'x'), row(5, 'refused', 'its unit is %, the row says ‰')] });
    await take(rig, 'id\n1');
    expect(rig.text).toContain('1 row cannot be taken, so none is');
    expect(rig.rows()).toContain('5 refused its unit is %, the row says ‰');
    expect([...rig.element.querySelectorAll('button')].some(({ textContent }) => textContent?.includes('in force'))).toBe(false);
    await rig.press('Leave it');
    expect([rig.element.querySelector('section'), asked.length]).toEqual([null, 1]);
  });

  it('what is no table, and a server that is away, are said', async () => {
    const rig = await Rig.open(RulesTable, {});
    answers.push({ status: 422, detail: 'This is no table that can be read: x.' });
    await take(rig, '"');
    expect(rig.text).toContain('This is no table that can be read');
    answers.push(new Error('no line to the server'));
    await take(rig, 'id');
    expect(rig.text).toContain('Not taken: no line to the server');
  });
});
