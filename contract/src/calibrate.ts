import { CALIBRATION_METHODS, lawSchema, RECIPES } from '@dewpost/core/calibration';
import * as z from 'zod';
import { endpoint, rawEndpoint, rowId } from './endpoint';
import { pointSchema } from './plan-schemas';

const finite = z.number().min(-1e12).max(1e12);
export const captureSchema = z.object({ reference: finite, raw: finite });

const curveSchema = z.union([
  z.object({ square: z.number(), about: z.number() }),
  z.object({ table: z.array(z.tuple([z.number(), z.number()]).readonly()).readonly() }),
  z.object({ turn: z.number().positive() }),
]);

export const calibrationSchema = z.object({
  version: z.number().int(),
  method: z.enum(CALIBRATION_METHODS),
  captures: z.array(captureSchema),
  /** Which way of several it was made, step by step; `null`: none of those. */
  recipe: z.string().nullable(),
  /** The law of physics that it follows; `null`: none. */
  law: lawSchema.nullable().default(null),
  /**
   * value = gain · raw + offset, or (square · raw + gain) · raw + offset, or a table of [raw, value] followed in straight pieces, or a direction
   * that begins anew past a whole turn.
   */
  coefficients: z.object({ gain: z.number(), offset: z.number(), curve: curveSchema.nullable().optional() }),
  /** Standard uncertainty, in the point's unit. */
  uncertainty: z.number(),
  /** The instrument it was made beside, and whether that was past its own day then; `null`: nobody has said. */
  instrument: z.object({ id: z.number().int(), name: z.string(), certificate: z.string(), overdue: z.boolean() }).nullable().default(null),
  /** Where it was copied from, and who has confirmed it here; `null`: it was made here. */
  inherited: z
    .object({ from: z.string(), confirmedAt: z.number().nullable(), confirmedBy: z.string().nullable() })
    .nullable()
    .default(null),
  /** From when on readings are converted by it. */
  from: z.number(),
  /** When it is due to be made again; `null`: nobody has said so. */
  dueAt: z.number().nullable(),
  note: z.string(),
  madeBy: z.string(),
  madeAt: z.number(),
  withdrawnAt: z.number().nullable(),
  withdrawnBy: z.string().nullable(),
  /** How much of its record is converted by it, 0…1; `null`: nothing is under way. */
  settling: z.number().nullable().default(null),
});
export type Calibration = z.output<typeof calibrationSchema>;

/** What became of a row of a table of calibrations; rows are counted as a spreadsheet does, its heads being the first. */
export const calibrationRowsSchema = z.array(
  z.object({
    row: z.number().int(),
    node: z.string(),
    point: z.string(),
    version: z.number().int().nullable(),
    refused: z.string().nullable(),
  }),
);

const byPoint = z.object({ node: z.string().max(64), point: z.string().max(64) });

export const calibrate = {
  /** The newest of every point, for the page. */
  inForce: endpoint({
    method: 'get',
    path: '/api/v1/calibrations',
    door: 'account',
    summary: 'Calibrations in force now, by point',
    reply: z.array(calibrationSchema.extend({ point: z.number().int() })),
  }),
  records: endpoint({
    method: 'get',
    path: '/api/v1/calibrations/records',
    door: 'account',
    summary: 'Calibrations of all points, newest first, withdrawn ones among them',
    query: z.object({ limit: z.coerce.number().int().min(1).max(2000).default(500) }),
    reply: z.array(
      calibrationSchema.extend({ point: z.number().int(), node: z.string(), name: z.string(), label: z.string(), unit: z.string() }),
    ),
  }),
  table: rawEndpoint({
    method: 'get',
    path: '/api/v1/calibrations.csv',
    door: 'account',
    summary: 'Calibrations of all points as CSV, a line each with what it was made from; comes back by POST',
    gives: 'text/csv',
  }),
  takeTable: rawEndpoint({
    method: 'post',
    path: '/api/v1/calibrations.csv',
    door: 'maker',
    summary:
      'Take such a table in (text/csv): each row is fitted anew from its captures and kept as the next version. What is there already is passed over. Gives what became of each row',
    gives: 'application/json',
  }),
  list: endpoint({
    method: 'get',
    path: '/api/v1/points/:node/:point/calibrations',
    door: 'account',
    summary: 'Every calibration of a point, newest first, withdrawn ones among them',
    params: byPoint,
    reply: z.array(calibrationSchema),
  }),
  add: endpoint({
    method: 'post',
    path: '/api/v1/points/:node/:point/calibrations',
    door: 'maker',
    summary:
      'Fit and keep a calibration from captures. `from` may lie in the past: what is stored from then on is converted anew from its raw values, which never change',
    params: byPoint,
    body: z
      .object({
        method: z.enum(CALIBRATION_METHODS),
        /** One at least, but for a law, which may be believed without any. */
        captures: z.array(captureSchema).max(100),
        /** The law that it follows, for the method `law`. */
        law: lawSchema.nullable().default(null),
        /** RFC 3339 or ms; now where it is left out. */
        from: z.union([z.number(), z.string().max(40)]).optional(),
        /** Standard uncertainty of the reference, in the point's unit. */
        reference: z.number().min(0).max(1e9).default(0),
        /** The instrument that the references were read from; its own uncertainty counts where it is the larger. */
        instrument: rowId.nullable().default(null),
        note: z.string().trim().max(200).default(''),
        /** The way it was made, where it was one of those that lead step by step. */
        recipe: z
          .enum(RECIPES.map(({ id }) => id))
          .nullable()
          .default(null),
        /** In so many months it is due again; left out: not at all. */
        dueMonths: z.number().int('whole months').min(1, 'a month at least').max(120, 'ten years at most').nullable().default(null),
        /** The newest version that was seen; another by now is a 409 with it. Left out: whatever is in force. */
        after: z.number().int().min(0).optional(),
      })
      .refine(({ method, captures }) => method === 'law' || captures.length > 0, {
        path: ['captures'],
        message: 'capture at least one value',
      })
      .refine(({ method, law }) => (method === 'law') === (law !== null), {
        path: ['law'],
        message: 'a law goes with the method law, and with no other',
      }),
    reply: calibrationSchema.extend({
      residuals: z.array(z.number()),
      rSquared: z.number().nullable(),
      /** What the fit of all others misses a capture by, root mean square; `null`: too few of them. */
      leaveOneOut: z.number().nullable(),
      /** What its law was found to be, in words. */
      words: z.string().default(''),
      /** Readings converted anew by now; where `settling` says how far it is, the rest goes on behind. */
      reconverted: z.number().int(),
    }),
  }),
  withdraw: endpoint({
    method: 'delete',
    path: '/api/v1/points/:node/:point/calibrations/:version',
    door: 'maker',
    summary: 'Withdraw a calibration: what it converted is as it was without it',
    params: byPoint.extend({ version: rowId }),
    reply: z.object({ reconverted: z.number().int(), settling: z.number().nullable().default(null) }),
  }),
  copy: endpoint({
    method: 'post',
    path: '/api/v1/points/:node/:point/calibrations/:version/copy',
    door: 'maker',
    summary:
      'Copy a calibration to the same point of other nodes of its sheet, inherited there until somebody confirms it. What has one of its own keeps that',
    params: byPoint.extend({ version: rowId }),
    body: z.object({ nodes: z.array(z.string().max(64)).min(1, 'choose at least one node').max(200) }),
    reply: z.array(
      z.object({
        node: z.string(),
        /** Its version there; `null`: it was not copied, for the reason given. */
        version: z.number().int().nullable(),
        refused: z.string().nullable(),
      }),
    ),
  }),
  confirm: endpoint({
    method: 'post',
    path: '/api/v1/points/:node/:point/calibrations/:version/confirm',
    door: 'maker',
    summary: 'Confirm an inherited calibration by what a reference shows beside the sensor now; too far apart is a 422 with the figures',
    params: byPoint.extend({ version: rowId }),
    body: z.object({ shows: finite, instrument: rowId.nullable().default(null) }),
    reply: calibrationSchema,
  }),
  hold: endpoint({
    method: 'post',
    path: '/api/v1/points/:node/:point/hold',
    door: 'maker',
    summary: 'Hold the rules of a point while somebody works at it: its alerts close, what they switched goes off, until the time is over',
    params: byPoint,
    body: z.object({ minutes: z.number().int().min(1).max(240) }),
    reply: pointSchema,
  }),
  letGo: endpoint({
    method: 'delete',
    path: '/api/v1/points/:node/:point/hold',
    door: 'maker',
    summary: 'Let the rules of a point go on before the time is over',
    params: byPoint,
    reply: pointSchema,
  }),
  exportCsv: rawEndpoint({
    method: 'get',
    path: '/api/v1/exports/readings.csv',
    door: 'account',
    summary:
      'Readings as CSV, streamed: `?points={node}/{point},…&from=&to=`; raw beside value, with quality. `&trials=yes`: with what came before its node went live; `&quality=good|suspect`: without what is worse',
    gives: 'text/csv',
  }),
  exportLines: rawEndpoint({
    method: 'get',
    path: '/api/v1/exports/readings.jsonl',
    door: 'account',
    summary: 'The same as JSON Lines, an object a reading',
    gives: 'application/x-ndjson',
  }),
  exportSenml: rawEndpoint({
    method: 'get',
    path: '/api/v1/exports/readings.senml',
    door: 'account',
    summary: 'The same as a SenML pack (RFC 8428): good and suspect readings, names as node:point',
    gives: 'application/senml+json',
  }),
  exportSenmlCbor: rawEndpoint({
    method: 'get',
    path: '/api/v1/exports/readings.cbor',
    door: 'account',
    summary: 'The same pack in CBOR (RFC 8428 §6)',
    gives: 'application/senml+cbor',
  }),
};
