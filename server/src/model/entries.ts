import type { Judging, Node, OutputLimitsBody, SheetPoint, ThresholdRuleBody } from '@dewpost/contract';
import { type Curve } from '@dewpost/core/calibration';
import { type Confirm, type Consequence, type ThresholdRule } from '@dewpost/core/alarm';
import type { TimetableLine } from '@dewpost/core/time';
import { type Burst, type HelloMessage, type Offer, type UpdateReport } from '@dewpost/core/wire';

export interface NodeEntry {
  readonly id: number;
  /** Its id in the protocol: never changes. */
  readonly name: string;
  /** What people read. */
  title: string;
  /** Only a `node` has a board and a sheet. */
  readonly kind: Node['kind'];
  room: string;
  roomSlug: string;
  readonly sheet: string;
  readonly shard: number;
  state: Node['state'];
  keyDigest: Buffer;
  /** The key before this one: valid until the new one has been used. */
  oldKeyDigest: Buffer | null;
  keySealed: string | null;
  heardAt: number | null;
  /** When that was last written to the database. */
  heardNotedAt: number;
  hello: HelloMessage | null;
  hardwareId: string | null;
  revision: number;
  haveRevision: number | null;
  haveAt: number | null;
  /** The image it is told to run: its name in the library, and the offer as it goes out. */
  offeredFirmware: string | null;
  offer: Offer | null;
  /** Its newest word on an offer, and what it said of its outputs before it wrote. */
  update: { readonly report: UpdateReport; readonly at: number; readonly safe: string | null } | null;
  /** Its sealed key is told to it over the air; the old one goes on working until the new one has been used. */
  keyRotates: boolean;
  reportSeconds: number;
  /** Name of the gateway it is a leaf of; `null`: it reaches the site by itself. */
  gateway: string | null;
  /** How it sends as a leaf; `null`: as the plan says. */
  burst: Burst | null;
  /** When it was proved in place; `null`: not since it was written. */
  fittedAt: number | null;
  /** Points whose check in place was not possible: nothing that hangs on them is armed. */
  unproved: ReadonlySet<string>;
  /** The least that its supply must give by its sheet, V; `null`: not known (yet), or it does not live on a battery. */
  leastVolts: number | null;
  /** Since when it is live, ms: what it sent before were trials; `null`: all of it counts. */
  liveSince: number | null;
  /** Since this server started: how often it said hello and when last, and how many of its readings were stored. */
  hellos: number;
  helloAt: number | null;
  stored: number;
  connected: boolean;
  silent: boolean;
  readonly points: Map<string, PointEntry>;
}

/** A calibration as intake wants it, from a time on (ms). */
export interface CalibrationInForce {
  readonly version: number;
  readonly from: number;
  readonly gain: number;
  readonly offset: number;
  /** What bends it. */
  readonly curve: Curve | null;
  /** Standard uncertainty, in the point's unit. */
  readonly uncertainty: number;
  /** When it is due to be made again, ms. */
  readonly dueAt: number | null;
  /** Copied from a like node, and not confirmed here. */
  readonly inherited: boolean;
}

/** Somebody has locked an output out: it is off, whatever asks for it. */
export interface Lock {
  readonly by: string;
  readonly reason: string;
  /** Since and until when, ms; `null`: until somebody takes it off. */
  readonly since: number;
  readonly until: number | null;
}

/** By which times an output runs, in site time, and in which hours of the day rules and timetable may switch it on; `null`: in all. */
export interface OutputTimetable {
  readonly version: number;
  readonly lines: readonly TimetableLine[];
  readonly hours: { readonly from: number; readonly to: number } | null;
  /** Runs that began by then are not begun again, ms. */
  readonly begunAt: number;
}

/** What an output may do within a day and what forbids it, with where to look that up. */
export interface LimitsInForce extends OutputLimitsBody {
  readonly version: number;
  /** What its meter counted as a day began (ms); `null`: not known, or it has none. */
  meterAt: { readonly day: number; readonly count: number } | null;
  /** A point that is there still. */
  readonly point: (id: number) => PointEntry | undefined;
  /** When the site day of a time began, ms. */
  readonly midnight: (at: number) => number;
}

export interface PointEntry {
  readonly id: number;
  readonly node: NodeEntry;
  readonly place: number;
  readonly name: string;
  /** As its sheet lays it down, but called and judged as people have it at this node. */
  body: SheetPoint;
  /** Calibrations that were not withdrawn, oldest version first. */
  calibrations: readonly CalibrationInForce[];
  /** Until when its rules are held because somebody works at it, ms; `null`: they are not. */
  heldUntil: number | null;
  /** `null`: it is not locked out. */
  lock: Lock | null;
  /** `null`: it has none. */
  timetable: OutputTimetable | null;
  /** What it may do within a day, and what forbids it; `null`: nobody has said. */
  limits: LimitsInForce | null;
  /** Outputs that never run together with it: those that win over it, and those it wins over. */
  winners: readonly PointEntry[];
  losers: readonly PointEntry[];
  /** What people have it computed from, on any node; empty for every other point. */
  inputs: readonly PointEntry[];
  /** Is one of those gone with its node? What is left says nothing any more. */
  inputGone: boolean;
  /** What its sheet calls it. */
  sheetLabel: string;
  /** What its sheet has its readings judged by, where people said otherwise; `null`: nobody has. */
  sheetJudging: Judging | null;
}

/** A rule as it is kept: with its clear level, and its consequences said. */
export type StoredRule = ThresholdRuleBody & { clearLevel: number; confirm: Confirm; consequences: Consequence[] };

export interface ThresholdEntry {
  readonly id: number;
  readonly point: PointEntry;
  readonly version: number;
  readonly rule: StoredRule;
  /** The point that it is held against, and that of its second condition; `null`: there is none. */
  readonly beside: PointEntry | null;
  readonly also: PointEntry | null;
  /** The same as the engine wants it. */
  readonly engineRule: ThresholdRule;
}
