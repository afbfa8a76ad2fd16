import { namesFromPattern, roomSlug } from '.';

const words = { room: 'Proving room', sheet: 'Climate post' };
const names = (pattern: string, count: number, taken: string[] = []) => namesFromPattern(pattern, count, words, new Set(taken));

describe('names from a pattern', () => {
  it('counts on past names that are taken, padded as asked', () => {
    expect(names('proving-{n}', 3, ['proving-2']).map((n) => n.name)).toEqual(['proving-1', 'proving-3', 'proving-4']);
    expect(names('{room}-{sheet}-{n:2}', 1)[0]).toEqual({ name: 'proving-room-climate-post-01', problem: null });
  });
  it('says what is wrong with a name, and still gives it', () => {
    expect(names('Proving {n}', 1)[0]?.problem).toMatch(/hyphen/);
    expect(names('proving', 2)[1]?.problem).toMatch(/\{n\}/);
    expect(names('proving', 1, ['proving'])[0]?.problem).toMatch(/taken/);
    expect(names('<b>{n}</b>', 1)[0]?.problem).not.toBeNull();
  });
});

describe('the address of a room', () => {
  it.each([
    ['Cold pantry', [], 'cold-pantry'],
    ['Cold pantry', ['cold-pantry'], 'cold-pantry-2'],
    ['All', [], 'all-2'],
    ['水车', [], 'room'],
    ['磨坊', ['room', 'room-2'], 'room-3'],
  ])('%s, beside %j: %s', (name, taken, slug) => expect(roomSlug(name, new Set(taken))).toBe(slug));
});
