import { exampleOf, sourceLines } from './source-lines';

const WAY = { base: 'http://192.168.7.2:8480', host: '192.168.7.2', mqttPort: 1883 };
const POINTS = [
  { name: 'temperature', min: -20, max: 40 },
  { name: 'wind', min: 0, max: 30 },
];

describe('lines to copy', () => {
  it('hold address, id and points of the source, and never a key', () => {
    const [curl, mqtt, python, sketch] = sourceLines(WAY, 'yard-weather', POINTS).map(({ text }) => text);
    expect(curl).toBe('curl -H "Authorization: Bearer $KEY" -d temperature=16 -d wind=18 http://192.168.7.2:8480/node/v1/up');
    expect(mqtt).toBe(
      `mosquitto_pub -h 192.168.7.2 -p 1883 -i yard-weather -u yard-weather -P "$KEY" -q 1 -t dp/1/yard-weather/up -m '{"temperature":16,"wind":18}'`,
    );
    expect(python).toContain('json.dumps({"temperature":16,"wind":18})');
    expect(sketch).toContain('http.POST("temperature=16&wind=18");');
    for (const { text } of sourceLines(WAY, 'yard-weather', POINTS)) expect(text).toMatch(/\$KEY|"KEY"|\+ KEY/);
  });
  it('show values that lie within what each point is shown over', () => {
    for (const point of [...POINTS, { min: 950, max: 1050 }, { min: 0, max: 0.001 }, { min: -1e9, max: 1e9 }]) {
      expect(exampleOf(point)).toBeGreaterThanOrEqual(point.min);
      expect(exampleOf(point)).toBeLessThanOrEqual(point.max);
    }
  });
});
