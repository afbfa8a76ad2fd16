import { asRead, fillWords, markupIn, othersNamed, READ_BY, spokenText, unknownPlaceholders } from '.';

describe('words of a rule’s own', () => {
  it('name values of the point that tripped and of others; what nothing stands for is found before it is armed', () => {
    const words = 'Loft at {value} {unit}, outside {weir-1/temperature}, fan {loft-fan/extract}, again {weir-1/temperature}';
    expect(othersNamed(words)).toEqual([
      { node: 'weir-1', point: 'temperature' },
      { node: 'loft-fan', point: 'extract' },
    ]);
    expect(unknownPlaceholders(words)).toEqual([]);
    expect(unknownPlaceholders('{wert} {} {a/b/c} {A/b} {/b}')).toEqual(['wert', '', 'a/b/c', 'A/b', '/b']);
    const read = ({ node }: { node: string }): string | null => (node === 'weir-1' ? '{value}' : null);
    // What is filled in is never read again, and a value that is not there is a dash.
    expect(fillWords(words, { value: '31', unit: '°C' }, read)).toBe('Loft at 31 °C, outside {value}, fan –, again {value}');
  });
  it('are plain text: markup is found, and comparisons are none', () => {
    expect(markupIn('Close <b>now</b>')).toBe('<b>');
    expect(markupIn('see <a href="x">')).toBe('<a href="x">');
    expect(markupIn('t < 5 and u > 3')).toBeNull();
  });
});

describe('a message as it is read', () => {
  const message = { title: 'Frost', text: 'x'.repeat(900), link: 'https://mill.example/respond/alerts' };
  it('is written once and fits each way', () => {
    const all = Object.fromEntries(READ_BY.map((by) => [by, asRead(by, 'Wrenfold Mill', message)]));
    expect(all['handset']).toEqual({ head: 'Frost', body: message.text });
    expect(all['push']!.body).toHaveLength(700);
    expect(all['node']).toEqual({ head: '', body: spokenText(message) });
    expect(spokenText(message)).toHaveLength(200);
    expect(all['mail']).toMatchObject({ head: 'Wrenfold Mill: Frost', body: `${message.text}\n\n${message.link}` });
    expect(JSON.parse(all['webhook']!.body)).toMatchObject({ site: 'Wrenfold Mill', link: message.link });
    expect(asRead('mail', 'Mill', { ...message, link: null }).body).toBe(message.text);
  });
});
