import { upkeep, type NodeFact } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { By } from '@angular/platform-browser';
import { ApiError } from '../data/api';
import { Trace, type TraceSource } from '../parts/trace';
import type { TraceSeries } from '../parts/trace-shapes';
import { Rig } from '../testing/rig';
import { NodeFacts } from './node-facts';

@Component({ selector: 'dp-trace', template: '', changeDetection: ChangeDetectionStrategy.OnPush })
class NoTrace {
  readonly series = input.required<readonly TraceSeries[]>();
  readonly source = input.required<TraceSource>();
  readonly hours = input(1);
  readonly zone = input('UTC');
  readonly label = input('');
}

const AT = Date.UTC(2026, 4, 1);
const DAY = 86_400_000;
const fact = (days: number, volts: number | null, rssiDbm: number | null): NodeFact => ({ at: AT + days * DAY, volts, rssiDbm });
const open = (answer: readonly NodeFact[] | Error) =>
  Rig.open(NodeFacts, { inputs: { node: 'fern-1' }, answers: [[upkeep.facts, answer]], instead: { part: Trace, by: NoTrace } });
const traceOf = ({ fixture }: Rig<NodeFacts>): NoTrace => fixture.debugElement.query(By.directive(NoTrace)).componentInstance as NoTrace;

describe('what a node said of its supply and signal', () => {
  it('is drawn as two lines, and told in words: first, last and least', async () => {
    const rig = await open([fact(0, 4.1, -60), fact(30, 3.9, -74), fact(60, 3.95, null)]);
    const trace = traceOf(rig);
    expect(trace.series().map(({ label, unit }) => `${label} ${unit}`)).toEqual(['Supply V', 'Signal dBm']);
    expect(trace.label()).toBe(
      'Supply 4.1 V at first, 3.95 V last, 3.9 V at least; Signal -60 dBm at first, -74 dBm last, -74 dBm at least',
    );
    expect(await trace.source().history(2, 0, Infinity)).toEqual([
      [AT, -60, 0],
      [AT + 30 * DAY, -74, 0],
    ]);
    expect(await trace.source().history(1, AT + DAY, Infinity)).toHaveLength(2);
  });

  it('one that lives on the mains has a signal alone; said once, or never, there is no line yet', async () => {
    const rig = await open([fact(0, null, -60), fact(1, null, -61)]);
    expect(
      traceOf(rig)
        .series()
        .map(({ label }) => label),
    ).toEqual(['Signal']);
    expect((await open([fact(0, 4, -60)])).text).toContain('from its second start on');
    expect((await open([])).text).toContain('not said anything');
  });

  it('says why it cannot be shown', async () => {
    expect((await open(new ApiError(503, 'the database is away'))).text).toContain('the database is away');
  });
});
