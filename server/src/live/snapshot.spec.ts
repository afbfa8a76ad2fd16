import { withOwnWords } from './snapshot';

describe('points an onlooker is shown', () => {
  const point = (id: number, label: string, room = 'Grain loft') => ({ id, label, room });
  it('are numbered where two in a room would read the same, and only there', () => {
    const points = [point(1, 'Temperature'), point(2, 'Humidity'), point(3, 'Temperature'), point(4, 'Temperature', 'Cellar')];
    expect(withOwnWords(points).map((one) => one.label)).toEqual(['Temperature 1', 'Humidity', 'Temperature 2', 'Temperature']);
  });
});
