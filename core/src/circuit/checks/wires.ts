import { netFaults } from '../sheet/netlist';
import { wiringOf } from '../sheet/wiring';
import type { Bench, Check } from './check';

/** The wiring table as a netlist: nothing is shorted, every terminal is used once. */
export function checkWires({ assignment, board, catalogue, draft }: Bench): Check[] {
  if (!assignment) return [];
  const wires = wiringOf(draft, board, catalogue, assignment);
  const faults = netFaults(wires, draft, board, catalogue);
  if (faults.length === 0)
    return [
      {
        id: 'wiring',
        verdict: 'pass',
        title: 'No wire joins two supplies, or a supply and ground',
        figure: `${wires.length} wires`,
        limit: 'every terminal once',
        reason: 'Looked at with every contact open and with every contact closed.',
        at: '',
      },
    ];
  return faults.map(({ kind, text, at }) => ({
    id: 'wiring',
    verdict: 'fail' as const,
    title: kind === 'short' || kind === 'pin shorted' ? 'The wiring would short' : 'The wiring does not come out even',
    figure: text,
    limit: 'every terminal once, no two supplies joined',
    reason: 'Do not build this: its part profile says other terminals than it has. Mend the profile under Catalogue.',
    at,
  }));
}
