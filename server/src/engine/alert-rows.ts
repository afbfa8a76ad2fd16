import type { Alert } from '@dewpost/contract';
import type { Database, Transaction } from '../database/connect';
import type { NewAlert } from './effects';
import type { Shelf } from './shelf';

export interface AlertRow {
  id: number;
  kind: Alert['kind'];
  threshold_id: number | null;
  node: string;
  point_id: number | null;
  severity: Alert['severity'];
  title: string;
  body: string;
  tripped_at: Date;
  value: number | null;
  cleared_at: Date | null;
  cleared_why: string | null;
  acknowledged_at: Date | null;
  acknowledged_by: string | null;
  shelved_until: Date | null;
  shelved_by: string | null;
  shelved_why: string | null;
  earlier: boolean;
  journal: boolean;
  returned_at: Date | null;
  cause: string | null;
  remedy: string | null;
}

/** An alert row as pages see it. */
export function alertView(row: AlertRow): Alert {
  return {
    id: row.id,
    kind: row.kind,
    threshold: row.threshold_id,
    node: row.node,
    point: row.point_id,
    severity: row.severity,
    title: row.title,
    text: row.body,
    trippedAt: row.tripped_at.getTime(),
    value: row.value,
    clearedAt: row.cleared_at?.getTime() ?? null,
    clearedWhy: row.cleared_why,
    acknowledgedAt: row.acknowledged_at?.getTime() ?? null,
    acknowledgedBy: row.acknowledged_by,
    shelvedUntil: row.shelved_until?.getTime() ?? null,
    shelvedBy: row.shelved_by,
    shelvedWhy: row.shelved_why,
    earlier: row.earlier,
    journal: row.journal,
    returnedAt: row.returned_at?.getTime() ?? null,
    cause: row.cause,
    remedy: row.remedy,
  };
}

/** An alert that opens, as pages see it. */
export function openedAlert(id: number, alert: NewAlert, shelf: Shelf | null): Alert {
  const { kind, threshold, node, point, severity, title, text, trippedAt, value, earlier, journal } = alert;
  return {
    id,
    kind,
    threshold: threshold?.id ?? null,
    node: node.name,
    point: point?.id ?? null,
    severity,
    title,
    text,
    trippedAt,
    value,
    clearedAt: null,
    clearedWhy: null,
    acknowledgedAt: null,
    acknowledgedBy: null,
    shelvedUntil: shelf?.until ?? null,
    shelvedBy: shelf?.by ?? null,
    shelvedWhy: shelf?.why ?? null,
    earlier,
    journal: journal ?? false,
    returnedAt: null,
    cause: null,
    remedy: null,
  };
}

/** Alerts with the names of their nodes. */
export const alertRows = (database: Database | Transaction) =>
  database('alert as a').join('node as n', 'n.id', 'a.node_id').select('a.*', 'n.name as node');
