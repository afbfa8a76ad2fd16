import type { Node, Point } from '@dewpost/contract';
import { isUncalibrated, scaleOf, versionAt } from '@dewpost/core/calibration';
import { WAKE_POINT, WAKE_REASONS } from '@dewpost/core/wire';
import type { NodeEntry, PointEntry } from './entries';
import { judgingOf } from './own-body';
import { intervalSeconds } from './periods';

/** A node as pages and scripts see it. */
export function nodeView(node: NodeEntry): Node {
  return {
    id: node.name,
    name: node.title,
    kind: node.kind,
    room: node.room,
    sheet: node.sheet,
    state: node.state,
    connected: node.connected,
    silent: node.silent,
    heardAt: node.heardAt,
    firmware: node.hello?.firmware ?? null,
    batteryVolts: node.hello?.batteryVolts ?? null,
    says: node.hello?.says ?? [],
    rssiDbm: node.hello?.rssiDbm ?? null,
    hardwareId: node.hardwareId,
    keySealed: node.keySealed !== null,
    revision: node.revision,
    haveRevision: node.haveRevision,
    haveAt: node.haveAt,
    offered: node.offeredFirmware,
    update: node.update?.report ?? null,
    keyRotates: node.keyRotates,
    reportSeconds: node.reportSeconds,
    gateway: node.gateway,
    fittedAt: node.fittedAt,
    unproved: [...node.unproved],
    liveSince: node.liveSince,
  };
}

/** Does nothing convert what its node sends? */
export const uncalibrated = ({ body, calibrations }: PointEntry): boolean => isUncalibrated(body.raw, calibrations);

/** A point as pages and scripts see it. */
export function pointView(point: PointEntry): Point {
  const { name, label, kind, unit, min, max, decimals, confirm, output, raw, derived } = point.body;
  return {
    ...scaleOf(point.body, point.calibrations),
    id: point.id,
    node: point.node.name,
    name,
    label,
    kind,
    confirm,
    output,
    raw,
    derived,
    states: point.name === WAKE_POINT ? [...WAKE_REASONS] : [],
    uncalibrated: uncalibrated(point),
    heldUntil: point.heldUntil,
    calibrationDue: versionAt(raw, point.calibrations, Date.now())?.dueAt ?? null,
    inherited: versionAt(raw, point.calibrations, Date.now())?.inherited ?? false,
    judging: judgingOf(point.body),
    judgingOfSheet: point.sheetJudging,
    everySeconds: point.inputs.length === 0 ? null : intervalSeconds(point),
    calibratesTo: { unit, min, max, decimals },
  };
}
