/** A resolved SenML record: every base field folded in. `t` is absolute Unix seconds, or relative to the receiver's now below 2²⁸. */
export interface SenmlRecord {
  n: string;
  u?: string;
  t?: number;
  v?: number;
  vs?: string;
  vb?: boolean;
  vd?: string;
  s?: number;
}

/** One record of a pack that cannot be resolved; the others are unaffected. */
export interface SenmlFault {
  index: number;
  name?: string;
  problem: string;
}

/** Times below this many seconds are relative to the time of receipt (RFC 8428 §4.5.3). */
export const RELATIVE_TIME_LIMIT = 2 ** 28;

/** Is a resolved name allowed: alphanumeric first, then also `- : . / _` (RFC 8428 §4.5.1)? */
export const isSenmlName = (name: string): boolean => /^[A-Za-z0-9][A-Za-z0-9\-:./_]*$/.test(name);

const isObject = (value: unknown): value is Record<string, unknown> => typeof value === 'object' && value !== null && !Array.isArray(value);

/**
 * Resolves a SenML pack (a parsed JSON array). Base fields persist until replaced; order and rules of RFC 8428 §4.
 * Never throws: a record that breaks a rule is returned among `faults` with its place, the good ones are kept.
 */
export function resolveSenml(pack: unknown): { records: SenmlRecord[]; faults: SenmlFault[] } {
  if (!Array.isArray(pack)) return { records: [], faults: [{ index: 0, problem: 'a SenML pack is a JSON array of records' }] };
  const records: SenmlRecord[] = [];
  const faults: SenmlFault[] = [];
  let base: Base = { bn: '' };
  pack.forEach((raw: unknown, index) => {
    if (!isObject(raw)) {
      faults.push({ index, problem: 'a record must be an object' });
      return;
    }
    const taken = takeBase(base, raw);
    if (typeof taken === 'string') {
      faults.push({ index, problem: taken });
      return;
    }
    base = taken;
    const record = resolveRecord(base, raw);
    if (record === null) return;
    if (typeof record === 'string')
      faults.push({ index, name: typeof raw['n'] === 'string' ? base.bn + raw['n'] : undefined, problem: record });
    else records.push(record);
  });
  return { records, faults };
}

interface Base {
  bn: string;
  bt?: number;
  bu?: string;
  bv?: number;
  bs?: number;
}

const OWN = ['n', 'u', 't', 'v', 'vs', 'vb', 'vd', 's', 'ut'] as const;
const VALUES = ['v', 'vs', 'vb', 'vd'] as const;

function takeBase(base: Base, raw: Record<string, unknown>): Base | string {
  // Most records carry no base field: they are spared the rest.
  let plain = true;
  for (const key in raw) if (key.startsWith('b') || key.endsWith('_')) plain = false;
  if (plain) return base;
  const next: Base = { ...base };
  for (const key of ['bn', 'bu'] as const) {
    const value = raw[key];
    if (value === undefined) continue;
    if (typeof value !== 'string') return `${key} must be text`;
    next[key] = value;
  }
  for (const key of ['bt', 'bv', 'bs'] as const) {
    const value = raw[key];
    if (value === undefined) continue;
    if (typeof value !== 'number' || !Number.isFinite(value)) return `${key} must be a number`;
    next[key] = value;
  }
  const version = raw['bver'];
  if (version !== undefined && (typeof version !== 'number' || version > 10)) return 'SenML versions above 10 are not understood';
  const unknown = Object.keys(raw).find((key) => key.endsWith('_'));
  return unknown ? `${unknown} must be understood and is not` : next;
}

/** The record, `null` where it only carries base fields, or what is wrong with it. */
function resolveRecord(base: Base, raw: Record<string, unknown>): SenmlRecord | string | null {
  if (OWN.every((key) => raw[key] === undefined)) return null;
  for (const key of ['t', 's'] as const) {
    if (raw[key] !== undefined && typeof raw[key] !== 'number') return `${key} must be a number`;
  }
  const name = base.bn + (typeof raw['n'] === 'string' ? raw['n'] : '');
  if (raw['n'] !== undefined && typeof raw['n'] !== 'string') return 'n must be text';
  if (!isSenmlName(name)) return name === '' ? 'a record needs a name' : 'the name may hold only letters, digits and - : . / _';
  const given = VALUES.find((key) => raw[key] !== undefined);
  if (given !== undefined && VALUES.some((key) => key !== given && raw[key] !== undefined))
    return 'a record carries exactly one of v, vs, vb, vd';
  const sum = raw['s'] === undefined ? undefined : (raw['s'] as number) + (base.bs ?? 0);
  if (given === undefined && sum === undefined && base.bv === undefined) return 'a record needs a value';

  const record: SenmlRecord = { n: name };
  const unit = typeof raw['u'] === 'string' ? raw['u'] : base.bu;
  if (unit !== undefined) record.u = unit;
  if (raw['t'] !== undefined || base.bt !== undefined) record.t = (base.bt ?? 0) + ((raw['t'] as number | undefined) ?? 0);
  if (sum !== undefined) record.s = sum;
  // Each may be fine and their sum is not.
  if (!Number.isFinite(record.t ?? 0)) return 'bt and t together are no time';
  if (!Number.isFinite(record.s ?? 0)) return 'bs and s together are no number';
  const kind = given ?? (sum === undefined ? 'v' : undefined);
  if (kind === 'v') {
    const value = raw['v'] ?? 0;
    if (typeof value !== 'number' || !Number.isFinite(value)) return 'v must be a number';
    record.v = value + (base.bv ?? 0);
    if (!Number.isFinite(record.v)) return 'bv and v together are no number';
  } else if (kind === 'vb') {
    if (typeof raw['vb'] !== 'boolean') return 'vb must be true or false';
    record.vb = raw['vb'];
  } else if (kind) {
    if (typeof raw[kind] !== 'string') return `${kind} must be text`;
    record[kind] = raw[kind];
  }
  return record;
}
