import type { Confirm } from '../../alarm';
import type { RawScale } from '../../calibration';
import { slug } from '../../naming';
import { WAKE_POINT, WAKE_REASONS, type Guards, type ReadBack } from '../../wire';
import { sleeps, type SheetDraft } from './draft';
import { decimalsAfter, eachOnce, unitChange } from '../../quantity';
import type { Catalogue, DefaultThreshold } from '../profile';

/** A point that follows from a part, with a name that is its own within the node. */
export interface DraftPoint {
  readonly name: string;
  readonly label: string;
  readonly kind: 'measured' | 'derived' | 'switched';
  readonly unit: string;
  readonly min: number;
  readonly max: number;
  readonly decimals: number;
  readonly physicalMin: number;
  readonly physicalMax: number;
  /** What the node sends where that is not `unit`; `null`: it sends the point's unit. */
  readonly raw: RawScale | null;
  readonly spikeStep: number | null;
  readonly spikeWindow: number | null;
  readonly stuckAfterSeconds: number | null;
  /** A value at which it may stand still all the same. */
  readonly restsAt: number | null;
  /** What its sensor gives in the place of a reading that failed, as its node sends it. */
  readonly faultValues?: readonly number[];
  readonly derived: { readonly quantity: 'dew-point'; readonly from: string[] } | null;
  /** How a delay of its thresholds is finished: contacts and states say only when they change, and their value holds. */
  readonly confirm: Confirm;
  /** It protects people, animals or the house. */
  readonly protective: boolean;
  /** What its nodes are born with. */
  readonly thresholds: readonly DefaultThreshold[];
  readonly output: { readonly guards: Guards; readonly leaseSeconds: number; readonly readBack: ReadBack; readonly caution: string } | null;
  /** The part it comes from. */
  readonly ref: string;
}

/** What no sensor says by itself comes as it is, and is held against nothing. */
const NOT_SENSED = { raw: null, spikeStep: null, spikeWindow: null, stuckAfterSeconds: null, restsAt: null } as const;

/** A repeated value says nothing before so many reports, however long they take. Common practice. */
const STUCK_REPORTS = 12;
const LEASE_SECONDS = 60;

/**
 * The points of a sheet: what its parts measure and switch, the dew point where one part gives temperature and humidity. A name
 * that comes twice gets a number.
 */
export function pointsOfSheet(draft: SheetDraft, catalogue: Catalogue): DraftPoint[] {
  const points: DraftPoint[] = [];
  const names = new Map<string, number>();
  const nameFor = (wanted: string): { name: string; suffix: string } => {
    const count = (names.get(wanted) ?? 0) + 1;
    names.set(wanted, count);
    return count === 1 ? { name: wanted, suffix: '' } : { name: `${wanted}-${count}`, suffix: ` ${count}` };
  };
  for (const place of draft.parts) {
    const profile = catalogue.parts.get(place.part);
    if (!profile) continue;
    const own = new Map<string, string>();
    for (const point of profile.points) {
      const { name, suffix } = nameFor(point.name);
      own.set(point.name, name);
      const { changesWithinHours, reports, ...rest } = point;
      points.push({
        ...rest,
        name,
        label: point.label + suffix,
        kind: 'measured',
        stuckAfterSeconds: changesWithinHours === null ? null : Math.max(changesWithinHours * 3600, STUCK_REPORTS * draft.reportSeconds),
        confirm: reports === 'change' ? 'hold' : 'readings',
        derived: null,
        output: null,
        ref: place.ref,
      });
    }
    const [temperature, humidity] = [own.get('temperature'), own.get('humidity')];
    if (temperature && humidity) {
      const { name, suffix } = nameFor('dew-point');
      const air = profile.points.find((point) => point.name === 'temperature');
      points.push({
        name,
        label: `Dew point${suffix}`,
        kind: 'derived',
        unit: '°C',
        min: air?.min ?? 0,
        max: air?.max ?? 40,
        decimals: 1,
        physicalMin: -60,
        physicalMax: 60,
        ...NOT_SENSED,
        confirm: 'readings',
        protective: false,
        derived: { quantity: 'dew-point', from: [temperature, humidity] },
        thresholds: [],
        output: null,
        ref: place.ref,
      });
    }
    if (profile.output) {
      const wanted = place.load?.name ? slug(place.load.name) : profile.output.point;
      const { name, suffix } = nameFor(wanted || profile.output.point);
      points.push({
        name,
        label: (place.load?.name || profile.output.label) + suffix,
        kind: 'switched',
        unit: '',
        min: 0,
        max: 1,
        decimals: 0,
        physicalMin: 0,
        physicalMax: 1,
        ...NOT_SENSED,
        confirm: 'hold',
        protective: false,
        derived: null,
        thresholds: [],
        ref: place.ref,
        output: {
          guards: profile.output.guards,
          leaseSeconds: LEASE_SECONDS,
          readBack: profile.output.readBack,
          caution: profile.cautions.join(' ') || 'It may start by itself.',
        },
      });
    }
  }
  const supply = catalogue.supplies.get(draft.supply);
  if (draft.tellsWake && supply && sleeps(draft, supply)) points.push(WAKE);
  return renamed(points, draft.points);
}

/** Why the node woke, by the number of the reason: it says so with each report, and its value says nothing of the time between. */
const WAKE: DraftPoint = {
  name: WAKE_POINT,
  label: 'Woke by',
  kind: 'measured',
  unit: '',
  min: 0,
  max: WAKE_REASONS.length - 1,
  decimals: 0,
  physicalMin: 0,
  physicalMax: WAKE_REASONS.length - 1,
  ...NOT_SENSED,
  confirm: 'readings',
  protective: false,
  derived: null,
  thresholds: [],
  output: null,
  ref: '',
};

/** Points with the names, labels and units that a sheet gives them; a unit takes range, decimals and thresholds along. */
function renamed(points: readonly DraftPoint[], changes: SheetDraft['points']): DraftPoint[] {
  const names = new Map(points.map((point) => [point.name, changes[point.name]?.name ?? point.name]));
  return points.map((point) => {
    const wish = changes[point.name];
    const derived = point.derived && { ...point.derived, from: point.derived.from.map((name) => names.get(name) ?? name) };
    const named = { ...point, derived, name: names.get(point.name) ?? point.name, label: wish?.label ?? point.label };
    const change = wish?.unit === undefined ? null : unitChange(point.unit, wish.unit);
    if (wish?.unit === undefined || change === null) return named;
    const decimals = decimalsAfter(point.decimals, change);
    const tidy = (value: number): number => Math.round(value * 10 ** (decimals + 2)) / 10 ** (decimals + 2);
    const value = (old: number): number => tidy(old * change.factor + change.offset);
    return {
      ...named,
      unit: wish.unit,
      decimals,
      min: value(point.min),
      max: value(point.max),
      physicalMin: value(point.physicalMin),
      physicalMax: value(point.physicalMax),
      raw: inOtherUnit(point.raw, change),
      spikeStep: point.spikeStep === null ? null : tidy(point.spikeStep * change.factor),
      restsAt: point.restsAt === null ? null : value(point.restsAt),
      ...(point.faultValues && { faultValues: point.raw === null ? point.faultValues.map(value) : point.faultValues }),
      thresholds: point.thresholds.map((one) => ({ ...one, setpoint: value(one.setpoint), deadband: tidy(one.deadband * change.factor) })),
    };
  });
}

/** The same raw scale for a point that is told in another unit: only what its sheet makes of it changes. */
const inOtherUnit = (raw: RawScale | null, { factor, offset }: { factor: number; offset: number }): RawScale | null =>
  raw?.nominal ? { ...raw, nominal: { gain: raw.nominal.gain * factor, offset: raw.nominal.offset * factor + offset } } : raw;

/** Every caution of a sheet once, sentence by sentence: of wiring itself, its supply, its antenna, its parts. */
export function cautionsOf(draft: SheetDraft, catalogue: Catalogue): string[] {
  const said = new Set<string>();
  return [
    'Fit the antenna before power. One supply at a time. Unplug before rewiring.',
    ...(catalogue.supplies.get(draft.supply)?.cautions ?? []),
    ...(catalogue.antennas.get(draft.antenna)?.cautions ?? []),
    ...draft.parts.flatMap((place) => catalogue.parts.get(place.part)?.cautions ?? []),
  ]
    .map((text) => eachOnce([text], said))
    .filter((text) => text !== '');
}
