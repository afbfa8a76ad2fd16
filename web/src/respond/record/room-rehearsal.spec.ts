import { watch, type ReadingRow } from '@dewpost/contract';
import { ApiError } from '../../data/api';
import { InThisThread } from '../../testing/in-this-thread';
import { aNode, aPoint, aThreshold, Rig } from '../../testing/rig';
import { runRehearsal, takeRecord, type RecordOfPoint, type RehearsalJob } from './rehearsal-jobs';
import { RehearsalWorkers } from './rehearser';
import { RoomRehearsal } from './room-rehearsal';

const rows = (values: number[]): ReadingRow[] => values.map((value, i) => [Date.now() - 3_600_000 + i * 10_000, value, 0]);
const open = (answer: unknown) =>
  Rig.open(RoomRehearsal, {
    snapshot: {
      nodes: [aNode({ id: 'loft-1', name: 'Loft 1', room: 'Grain loft' }), aNode({ id: 'cellar-1', name: 'Cellar 1', room: 'Cellar' })],
      points: [aPoint({ id: 1, node: 'loft-1' }), aPoint({ id: 2, node: 'cellar-1' })],
      thresholds: [
        aThreshold({ id: 10, point: 1, setpoint: 75, deadband: 5, clearLevel: 70, offDelaySeconds: 0 }),
        aThreshold({ id: 11, point: 1, setpoint: 90, deadband: 5, clearLevel: 85, offDelaySeconds: 0 }),
        aThreshold({ id: 12, point: 1, judges: { kind: 'usual' }, setpoint: 2 }),
        aThreshold({ id: 13, point: 2 }),
      ],
    },
    answers: [[watch.history, answer]],
    providers: [
      {
        provide: RehearsalWorkers,
        useValue: {
          open: () =>
            Promise.resolve(new InThisThread((record: RecordOfPoint, job: RehearsalJob) => runRehearsal(takeRecord(record), job))),
        },
      },
    ],
  });

it('every rule of one room is run over its record; those of other rooms are not', async () => {
  const rig = await open({ point: { id: 1, label: 'Humidity', unit: '%' }, thinned: false, readings: rows([60, 80, 60, 80, 60, 95, 60]) });
  expect(rig.button('Rehearse them').disabled).toBe(true);
  await rig.fill('#room-rehearsed', 'Grain loft');
  await rig.press('Rehearse them');
  for (let i = 0; i < 20 && rig.rows('tr.mat-mdc-row').length < 3; i++) await rig.frame();
  const [near, far, learnt] = rig.rows('tr.mat-mdc-row');
  expect(near).toMatch(/^Loft 1: Humidity ≥ 75\.0 % 3 .* – – –$/);
  expect(far).toMatch(/^Loft 1: Humidity ≥ 90\.0 % 1 /);
  expect(learnt).toMatch(/^Loft 1: Humidity: .*what is usual – /);
  expect(rig.text).not.toContain('Cellar 1:');
});
it('says so where a record cannot be read', async () => {
  const rig = await open(new ApiError(503, 'The database is away.'));
  await rig.fill('#room-rehearsed', 'Cellar');
  await rig.press('Rehearse them');
  await rig.frame();
  expect(rig.text).toContain('The database is away.');
});
