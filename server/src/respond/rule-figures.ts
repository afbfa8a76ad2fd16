import type { ThresholdRuleBody } from '@dewpost/contract';
import { isPlain } from '@dewpost/core/alarm';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';

/** What of a rule cannot be used, where, and what to do about it. */
export interface FigureFault {
  readonly path: string;
  readonly message: string;
}

const fault = (path: string, message: string): FigureFault => ({ path, message });

/** What of a rule's figures could never trip or never clear on this point, with the figure; `null`: all of it can be used. */
export function figuresFault(registry: Registry, point: PointEntry, body: ThresholdRuleBody, clearLevel: number): FigureFault | null {
  return judgedFault(registry, point, body, clearLevel) ?? alsoFault(registry, point, body);
}

function judgedFault(registry: Registry, point: PointEntry, body: ThresholdRuleBody, clearLevel: number): FigureFault | null {
  const { physicalMin, physicalMax, unit } = point.body;
  const { judges, setpoint, deadband, side } = body;
  const span = physicalMax - physicalMin;
  switch (judges.kind) {
    case 'value':
      if (setpoint < physicalMin || setpoint > physicalMax)
        return fault('setpoint', `The setpoint must lie within what the sensor measures: ${physicalMin} to ${physicalMax} ${unit}.`);
      if (clearLevel < physicalMin || clearLevel > physicalMax)
        return fault(
          'deadband',
          `With this deadband the alert clears at ${clearLevel} ${unit}, which the sensor never reads: make it smaller.`,
        );
      return null;
    case 'band':
      if (side !== 'high') return fault('side', 'Outside a band is one side: leave it at high, with the lower end beside it.');
      if (!(judges.low < setpoint)) return fault('judges.low', `The lower end must lie below the upper one, ${setpoint} ${unit}.`);
      if (judges.low < physicalMin || setpoint > physicalMax)
        return fault('setpoint', `The band must lie within what the sensor measures: ${physicalMin} to ${physicalMax} ${unit}.`);
      if (2 * deadband >= setpoint - judges.low)
        return fault('deadband', 'With this deadband it would never clear: it is to be less than half of the band.');
      return null;
    case 'rate':
    case 'difference': {
      const other = judges.kind === 'difference' ? otherFault(registry, point, judges.point, unit) : null;
      if (other) return fault('judges.point', other);
      const what = judges.kind === 'rate' ? 'A change' : 'A difference';
      if (judges.kind === 'rate' && (side === 'high' ? setpoint <= 0 : setpoint >= 0))
        return fault(
          'setpoint',
          `A rise is more than nothing, and a fall is negative: ${side === 'high' ? 'type more than 0' : 'type less than 0'}.`,
        );
      if (Math.abs(setpoint) > span || Math.abs(clearLevel) > span)
        return fault('setpoint', `${what} of so much is more than the sensor measures at all: ${span} ${unit}.`);
      return null;
    }
    case 'usual':
      if (point.body.confirm === 'hold') return fault('judges', 'What only tells its changes has no usual hour: judge how often it comes.');
      if (side === 'high' ? setpoint < 0 : setpoint > 0)
        return fault('setpoint', side === 'high' ? 'Above what is usual is 0 or more.' : 'Below what is usual is 0 or less.');
      if (Math.abs(setpoint) > span || Math.abs(clearLevel) > span)
        return fault('setpoint', `A departure of so much is more than the sensor measures at all: ${span} ${unit}.`);
      return null;
    case 'count':
      if (side !== 'high') return fault('side', 'What comes too often is one side: leave it at high.');
      if (!Number.isInteger(setpoint) || setpoint < 1 || setpoint > 1000)
        return fault('setpoint', 'How often is a whole number, 1 to 1000.');
      if (clearLevel < 0) return fault('deadband', 'It clears once it came less often: the deadband is at most the setpoint.');
      if (judges.level <= physicalMin || judges.level > physicalMax)
        return fault('judges.level', `The level must lie within what the sensor measures: ${physicalMin} to ${physicalMax} ${unit}.`);
      return null;
    case 'silence':
      if (side !== 'high') return fault('side', 'For how long is one side: leave it at high.');
      if (setpoint < 5 || setpoint > 604_800) return fault('setpoint', 'For how long is 5 s at least, and a week at most.');
      if (deadband > 0) return fault('deadband', 'It clears with the next reading: it has no deadband.');
      if (body.output !== null && body.act === 'on')
        return fault('output', 'What is not read switches nothing on: an output runs only while the reading behind it is fresh.');
      return null;
  }
}

function otherFault(registry: Registry, point: PointEntry, id: number, unit: string): string | null {
  const other = registry.points.get(id);
  if (!other) return `There is no point ${id}: choose another.`;
  if (other === point) return 'A point differs by nothing from itself: choose another.';
  if (other.body.unit !== unit)
    return `It reads in ${other.body.unit || 'no unit'}, and this one in ${unit || 'none'}: choose one of the same unit.`;
  return null;
}

function alsoFault(registry: Registry, point: PointEntry, { also }: ThresholdRuleBody): FigureFault | null {
  if (!also) return null;
  const other = registry.points.get(also.point);
  if (!other) return fault('also.point', `There is no point ${also.point}: choose another.`);
  if (other === point) return fault('also.point', 'A second condition stands on another point: one point has one limit a rule.');
  const { physicalMin, physicalMax, unit, label } = other.body;
  if (also.setpoint < physicalMin || also.setpoint > physicalMax)
    return fault('also.setpoint', `${label} reads ${physicalMin} to ${physicalMax} ${unit}: its setpoint must lie within.`);
  return null;
}

/** What of a rule that runs its output in proportion cannot be used; `guards`: of that output, `undefined`: there is none. */
export function proportionFault(
  { proportional, act, judges, also, then }: Pick<ThresholdRuleBody, 'proportional' | 'act' | 'judges' | 'also' | 'then'>,
  guards: { readonly minOnSeconds: number; readonly minOffSeconds: number } | undefined,
): FigureFault | null {
  if (!proportional) return null;
  if (!guards || act === 'off') return fault('proportional', 'Only an output that is switched on runs for a share of its cycles.');
  if (!isPlain({ judges, also }) || then.length > 0)
    return fault(
      'proportional',
      'In proportion goes by the value of one point, and with one output: leave other conditions and outputs out.',
    );
  const { minOnSeconds, minOffSeconds } = guards;
  // Below that little is left between none and all of it.
  const least = 4 * (minOnSeconds + minOffSeconds);
  if (proportional.cycleSeconds >= least) return null;
  return fault(
    'proportional.cycleSeconds',
    `Its output is on for ${minOnSeconds} s and off for ${minOffSeconds} s at least: a cycle takes four times both, ${least} s.`,
  );
}
