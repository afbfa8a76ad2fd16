import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { createHash } from 'node:crypto';
import fc from 'fast-check';
import { nodeConfigurationSchema, type NodeConfiguration } from '../wire';
import {
  canonicalJson,
  compareVersions,
  configurationDifferences,
  configurationDigest,
  configurationHeader,
  configurationRows,
  cString,
  manifestSchema,
  semverSchema,
} from '.';

const ORIGIN = 'http://mill.lan:8480';

describe('versions', () => {
  it('come in the published order (Semantic Versioning 2.0.0 §11)', () => {
    const order = [
      '1.0.0-alpha',
      '1.0.0-alpha.1',
      '1.0.0-alpha.beta',
      '1.0.0-beta',
      '1.0.0-beta.2',
      '1.0.0-beta.11',
      '1.0.0-rc.1',
      '1.0.0',
      '2.0.0',
      '2.1.0',
      '2.1.1',
    ];
    for (const [i, a] of order.entries())
      for (const [j, b] of order.entries()) expect(Math.sign(compareVersions(a, b))).toBe(Math.sign(i - j));
    expect(compareVersions('1.0.0+20130313', '1.0.0+exp.sha.5114f85')).toBe(0);
    expect(compareVersions('1.9.0', '1.10.0')).toBeLessThan(0);
  });
  it('are what the standard calls one, and nothing else', () => {
    for (const good of ['0.0.4', '1.2.3-0', '1.0.0-alpha.1+001', '1.0.0--.-'])
      expect([good, semverSchema.safeParse(good).success]).toEqual([good, true]);
    for (const bad of ['1.2', '01.1.1', '1.0.0-01', 'v1.0.0', '1.0.0-', '1.0.0+'])
      expect([bad, semverSchema.safeParse(bad).success]).toEqual([bad, false]);
    expect(() => compareVersions('1', '1.0.0')).toThrow(RangeError);
  });
});

describe('canonical JSON', () => {
  it('is that of RFC 8785 §3.2.3: keys by code units, numbers as ECMAScript writes them', () => {
    const value = {
      '\u20ac': 'Euro Sign',
      '\r': 'Carriage Return',
      '\ufb33': 'Hebrew Letter Dalet With Dagesh',
      '1': 'One',
      '\ud83d\ude00': 'Emoji: Grinning Face',
      '\u0080': 'Control',
      '\u00f6': 'Latin Small Letter O With Diaeresis',
    };
    const texts = [...canonicalJson(value).matchAll(/:"([^"]+)"/g)].map(([, text]) => text);
    expect(texts).toEqual([
      'Carriage Return',
      'One',
      'Control',
      'Latin Small Letter O With Diaeresis',
      'Euro Sign',
      'Emoji: Grinning Face',
      'Hebrew Letter Dalet With Dagesh',
    ]);
    expect(canonicalJson({ numbers: [Number('333333333.33333329'), 1e30, 4.5, 2e-3, 1e-27], literals: [null, true, false] })).toBe(
      '{"literals":[null,true,false],"numbers":[333333333.3333333,1e+30,4.5,0.002,1e-27]}',
    );
  });
  it('does not depend on the order of keys, and reads back the same', () => {
    fc.assert(
      fc.property(fc.dictionary(fc.string(), fc.jsonValue()), (value) => {
        const turned = Object.fromEntries(Object.entries(value).reverse());
        expect(canonicalJson(turned)).toBe(canonicalJson(value));
        expect(JSON.parse(canonicalJson(value))).toEqual(JSON.parse(JSON.stringify(value)));
      }),
    );
    expect(() => canonicalJson({ a: NaN })).toThrow(/finite/);
  });
});

describe('a configuration handed out', () => {
  const configuration: NodeConfiguration = nodeConfigurationSchema.parse({
    revision: 3,
    node: 'loft-1',
    key: 'a-secret-of-22-letters',
    room: 'Grain loft',
    sheet: 'Post',
    broker: { host: '192.168.7.10', port: 1883 },
    networks: [{ name: 'müh"le', passphrase: 'under ??/ the wheel' }],
    address: { ip: '192.168.7.20', prefix: 24, router: '192.168.7.1' },
    reportSeconds: 30,
    points: [{ name: 'temperature', unit: '°C' }],
    outputs: [
      {
        point: 'fan',
        guards: { minOnSeconds: 1, minOffSeconds: 2, maxRunSeconds: null, restSeconds: 4 },
        leaseSeconds: 60,
        readBack: 'contact',
      },
    ],
  });
  // Source: FIPS 180-4 and RFC 6234 §8.5, test 1.
  it('SHA-256 of the published test case', () => {
    expect(bytesToHex(sha256(utf8ToBytes('abc')))).toBe('ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad');
  });
  it('tells a node which networks are open and which it must ask for; what is neither is told as it always was', () => {
    const told = nodeConfigurationSchema.parse({
      ...configuration,
      networks: [
        { name: 'cellar', passphrase: 'nine sacks of barley', hidden: true },
        { name: 'guests', passphrase: null },
        ...configuration.networks,
      ],
    });
    const header = configurationHeader(told, ORIGIN);
    expect(header.match(/NODE_NETWORK_\d_\w+/g)).toEqual([
      ...['NODE_NETWORK_0_NAME', 'NODE_NETWORK_0_PASSPHRASE', 'NODE_NETWORK_0_HIDDEN'],
      ...['NODE_NETWORK_1_NAME', 'NODE_NETWORK_2_NAME', 'NODE_NETWORK_2_PASSPHRASE'],
    ]);
    expect(canonicalJson(nodeConfigurationSchema.parse(configuration).networks)).toBe(canonicalJson(configuration.networks));
    expect(nodeConfigurationSchema.safeParse({ ...configuration, networks: [{ name: 'x', passphrase: '' }] }).success).toBe(false);
  });
  it('has the digest of its canonical form (SHA-256 by Node.js)', () => {
    expect(configurationDigest(configuration)).toBe(createHash('sha256').update(canonicalJson(configuration)).digest('hex'));
    expect(configurationDigest({ ...configuration, revision: 4 })).not.toBe(configurationDigest(configuration));
  });
  it('as rows holds every value once', () => {
    const rows = new Map(configurationRows(configuration));
    expect(rows.get('outputs.0.guards.restSeconds')).toBe('4');
    expect(rows.get('outputs.0.guards.maxRunSeconds')).toBe('');
    expect(rows.get('networks.0.name')).toBe('müh"le');
  });
  it('as a header is C that says the same bytes: quotes, trigraphs and letters beyond ASCII are escaped', () => {
    const header = configurationHeader(configuration, ORIGIN);
    expect(header).toMatch(/#define NODE_ID "loft-1"\n/);
    // By either way: where it goes, and under which names.
    for (const line of ['NODE_MQTT_TOPIC "dp/1/loft-1/up"', 'NODE_HTTP_URL "http://mill.lan:8480"', 'NODE_HTTP_PATH "/node/v1/up"'])
      expect(header).toContain(`#define ${line}\n`);
    expect(header.match(/NODE_POINT_\d+_NAME/g)).toHaveLength(configuration.points.length);
    expect(header).toContain('#define NODE_NETWORK_0_NAME "m\\303\\274h\\042le"');
    expect(header).not.toMatch(/\?\?/);
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme' }), (text) => {
        const literal = cString(text).slice(1, -1);
        const bytes = [...literal.matchAll(/\\([0-7]{3})|([^\\])/g)].map(([, octal, plain]) =>
          octal ? parseInt(octal, 8) : plain!.charCodeAt(0),
        );
        expect(new TextDecoder().decode(Uint8Array.from(bytes))).toBe(text);
      }),
    );
  });
  it('against what the node holds shows what differs, and no secret', () => {
    const changed = { ...configuration, key: 'another-secret-letters', reportSeconds: 60 };
    const found = configurationDifferences(configuration, changed);
    expect(found).toEqual([
      { key: 'key', before: '••••••', after: '••••••' },
      { key: 'reportSeconds', before: '30', after: '60' },
    ]);
    expect(JSON.stringify(configurationDifferences(null, configuration))).not.toMatch(/secret|wheel/);
  });
});

describe('a manifest', () => {
  it('says what is missing or wrong in it, by path', () => {
    const good = { format: 1, name: 'dewnode', version: '1.1.0', board: 'wifi-dual-38', bytes: 98_304, sha256: 'ab'.repeat(32) };
    expect(manifestSchema.parse(good)).toMatchObject({ minimumRevision: 1, signature: null });
    const bad = manifestSchema.safeParse({ ...good, version: '1.1', sha256: 'AB'.repeat(32), signature: 'AAAA' });
    expect(bad.error!.issues.map((issue) => issue.path.join('.')).sort()).toEqual(['sha256', 'signature', 'version']);
  });
});
