import { unknownPoints } from './unknown-points';

describe('points that came and are not known', () => {
  it('are named once each, the newest first; what is known by now, or refused for another cause, is not among them', () => {
    const lines = [
      'gust: unknown point: script has wind',
      'rain: unknown point: x',
      'wind: a decimal comma: send 3.2',
      'gust: unknown point: y',
      '–: not JSON',
    ];
    expect(
      unknownPoints(
        lines.map((text) => ({ text })),
        new Set(['rain']),
      ),
    ).toEqual(['gust']);
  });
});
