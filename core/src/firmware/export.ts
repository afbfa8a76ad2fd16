import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { topicOf, type NodeConfiguration } from '../wire';
import { canonicalJson } from '../manifest';

/** SHA-256 of a configuration in its canonical form, hexadecimal. */
export const configurationDigest = (configuration: unknown): string => bytesToHex(sha256(utf8ToBytes(canonicalJson(configuration))));

/** A configuration as rows of key and value, keys with full stops and indexes: `outputs.0.guards.restSeconds`. */
export function configurationRows(configuration: NodeConfiguration): [string, string][] {
  const rows: [string, string][] = [];
  const walk = (path: string, value: unknown): void => {
    if (value !== null && typeof value === 'object')
      for (const [key, part] of Object.entries(value)) walk(path === '' ? key : `${path}.${key}`, part);
    else rows.push([path, value === null ? '' : String(value as string | number | boolean)]);
  };
  walk('', configuration);
  return rows;
}

/** Text as a C string literal: everything but printable ASCII as octal escapes, which cannot run into what follows. */
export function cString(text: string): string {
  const bytes = new TextEncoder().encode(text);
  return `"${[...bytes].map((byte) => (byte === 0x22 || byte === 0x5c || byte === 0x3f || byte < 0x20 || byte > 0x7e ? `\\${byte.toString(8).padStart(3, '0')}` : String.fromCharCode(byte))).join('')}"`;
}

/** Where a node posts its readings that speaks HTTP and no MQTT. */
const UP_PATH = '/node/v1/up';

/**
 * A configuration as a C header, `node_config.h`: for firmware that is built with it. It holds secrets in clear. `origin`: this server as
 * nodes reach it by HTTP, `http://host:port`.
 */
export function configurationHeader(configuration: NodeConfiguration, origin: string): string {
  const {
    node,
    key,
    revision,
    broker,
    networks,
    address,
    reportSeconds,
    points,
    outputs,
    trustedKeys,
    join,
    setupPassword,
    via,
    accessPoint,
  } = configuration;
  const define = (name: string, value: string | number): string => `#define ${name} ${typeof value === 'number' ? value : cString(value)}`;
  return [
    '/* Made for one node; holds its key and the passphrases: keep it out of version control. */',
    '#ifndef NODE_CONFIG_H',
    '#define NODE_CONFIG_H',
    define('NODE_CONFIG_REVISION', revision),
    define('NODE_CONFIG_SHA256', configurationDigest(configuration)),
    define('NODE_ID', node),
    define('NODE_KEY', key),
    define('NODE_BROKER_HOST', broker.host),
    define('NODE_BROKER_PORT', broker.port),
    define('NODE_MQTT_TOPIC', topicOf(node, 'up')),
    // The same readings go by HTTP as well, the key in an Authorization header.
    define('NODE_HTTP_URL', origin),
    define('NODE_HTTP_PATH', UP_PATH),
    define('NODE_REPORT_SECONDS', reportSeconds),
    define('NODE_NETWORK_COUNT', networks.length),
    ...networks.flatMap((network, i) => [
      define(`NODE_NETWORK_${i}_NAME`, network.name),
      // An open network has none; a hidden one must be asked for by its name.
      ...(network.passphrase === null ? [] : [define(`NODE_NETWORK_${i}_PASSPHRASE`, network.passphrase)]),
      ...(network.hidden ? [define(`NODE_NETWORK_${i}_HIDDEN`, 1)] : []),
    ]),
    ...(address
      ? [define('NODE_ADDRESS', address.ip), define('NODE_ADDRESS_PREFIX', address.prefix), define('NODE_ROUTER', address.router)]
      : []),
    // A leaf sends datagrams to its gateway; a gateway opens a network for its leaves.
    ...(via
      ? [
          define('NODE_GATEWAY_HOST', via.host),
          define('NODE_GATEWAY_PORT', via.port),
          define('NODE_BURST_COUNT', via.burst.count),
          define('NODE_BURST_SPACING_MS', via.burst.spacingMs),
        ]
      : []),
    ...(accessPoint
      ? [
          define('NODE_ACCESS_POINT_NAME', accessPoint.name),
          define('NODE_ACCESS_POINT_PASSPHRASE', accessPoint.passphrase),
          define('NODE_ACCESS_POINT_PORT', accessPoint.port),
        ]
      : []),
    define('NODE_POINT_COUNT', points.length),
    ...points.flatMap((point, i) => [define(`NODE_POINT_${i}_NAME`, point.name), define(`NODE_POINT_${i}_UNIT`, point.unit)]),
    define('NODE_OUTPUT_COUNT', outputs.length),
    ...outputs.flatMap((output, i) => [
      define(`NODE_OUTPUT_${i}_POINT`, output.point),
      define(`NODE_OUTPUT_${i}_LEASE_SECONDS`, output.leaseSeconds),
      define(`NODE_OUTPUT_${i}_MIN_ON_SECONDS`, output.guards.minOnSeconds),
      define(`NODE_OUTPUT_${i}_MIN_OFF_SECONDS`, output.guards.minOffSeconds),
      define(`NODE_OUTPUT_${i}_MAX_RUN_SECONDS`, output.guards.maxRunSeconds ?? 0),
      define(`NODE_OUTPUT_${i}_REST_SECONDS`, output.guards.restSeconds),
    ]),
    define('NODE_JOIN_SECONDS', join.seconds),
    define('NODE_JOIN_THEN', join.then),
    ...(setupPassword === null ? [] : [define('NODE_SETUP_PASSWORD', setupPassword)]),
    define('NODE_TRUSTED_KEY_COUNT', trustedKeys.length),
    ...trustedKeys.map((trusted, i) => define(`NODE_TRUSTED_KEY_${i}`, trusted)),
    '#endif',
    '',
  ].join('\n');
}

/** One place where two configurations differ. */
export interface ConfigurationDifference {
  readonly key: string;
  readonly before: string | null;
  readonly after: string | null;
}

const SECRET = /(^key$|passphrase$|^setupPassword$)/;

/** Where a configuration differs from another; secrets are said to differ, never shown. */
export function configurationDifferences(before: NodeConfiguration | null, after: NodeConfiguration): ConfigurationDifference[] {
  const rows = new Map(before ? configurationRows(before) : []);
  const next = new Map(configurationRows(after));
  return [...new Set([...rows.keys(), ...next.keys()])].flatMap((key): ConfigurationDifference[] => {
    const [was, is] = [rows.get(key) ?? null, next.get(key) ?? null];
    if (was === is) return [];
    const shown = (value: string | null): string | null => (value === null || !SECRET.test(key) ? value : '••••••');
    return [{ key, before: shown(was), after: shown(is) }];
  });
}
