import type { Point } from '@dewpost/contract';

/** Can a node follow a threshold by itself while its link is down: is the sensor, which it measures itself, on the node of the output? */
export const followsAlone = (sensor: Point | null | undefined, output: Point | null | undefined): boolean =>
  sensor?.kind === 'measured' && output != null && sensor.node === output.node;
