import type { Statement } from '../database/prepared';

/** A piece of a chain of CTEs: its name, and what it does. */
export interface Part extends Statement {
  name: string;
}

/** Rows as JSON, given to one part of the chain: one parameter, whatever their number. */
export const rowsOf = (name: string, sql: (rows: string) => string, columns: string, rows: readonly object[]): Part[] =>
  rows.length === 0 ? [] : [{ name, sql: sql(`json_to_recordset(cast(? as json)) as t(${columns})`), bindings: [JSON.stringify(rows)] }];

export const at = (column: string): string => `to_timestamp(${column} / 1000.0)`;

/**
 * Only one alert of a threshold, and one demand of a source, stands at a time: the rows of these parts are written before those of a part
 * that ends with this. Without it a statement's parts run in any order.
 */
export const after = (parts: readonly Part[]): string => parts.map(({ name }) => ` where (select count(*) from ${name}) >= 0`).join('');
