import { signal } from '@angular/core';
import { aNode, NOON } from '../../testing/rig';
import type { Job } from './job';

export const draft = {
  board: 'gateway-board',
  supply: 'usb',
  antenna: 'antenna-board',
  wake: 'board timer',
  reportSeconds: 30,
  eventsPerDay: 0,
  outdoors: false,
  cableMetres: 1,
  parts: [{ ref: 'air', part: 'climate-i2c' }],
  fixed: {},
  dividers: {},
};
export const sheet = {
  slug: 'climate-post',
  name: 'Climate post',
  version: 1,
  nodes: 1,
  behind: 0,
  body: { board: 'gateway-board', supply: 'usb', parts: [], wiring: [], reportSeconds: 30, points: [], cautions: [], draft },
};
export const image = (version: string, change: object = {}) => ({
  id: `dewnode-${version}-gateway-board`,
  name: 'dewnode',
  version,
  board: 'gateway-board',
  bytes: 131_072,
  sha256: 'ab'.repeat(32),
  minimumRevision: 1,
  notes: '',
  lamp: {},
  signedBy: null,
  madeBy: 'shipped',
  parts: null,
  configuration: null,
  madeAt: NOON,
  nodes: [],
  ...change,
});
/** The writer as the page sees it: what it was asked, and jobs that the test puts there. */
export class ScriptedWriter {
  readonly written: unknown[] = [];
  readonly jobs = signal<ReadonlyMap<string, Job>>(new Map());
  readonly problem = signal<string | null>(null);
  readonly batches = signal(new Map());
  readonly paused = signal(false);
  readonly boardAt = signal<ReadonlyMap<string, number>>(new Map());
  readonly ports = signal<readonly number[]>([]);
  readonly chosenPorts: unknown[] = [];
  lookAtPorts = (): Promise<void> => Promise.resolve(this.ports.set([1, 2]));
  choosePort = (node: string, port: number | null): Promise<void> => Promise.resolve(void this.chosenPorts.push([node, port]));
  write = (nodes: string[], firmware: object): Promise<void> => Promise.resolve(void this.written.push([nodes, firmware]));
  takeUp = (): Promise<void> => Promise.resolve();
  waitsFor = (job: Job): string | null => job.after;
}
export const job = (change: Partial<Job> = {}): Job => ({
  node: 'roof-rain',
  port: 1,
  after: null,
  run: 1,
  step: 'write',
  written: 0.25,
  rate: 40_000,
  left: 11.2,
  windowEnds: null,
  erasing: null,
  hand: null,
  flash: null,
  log: [],
  failure: null,
  ...change,
});
export const planned = aNode({ id: 'roof-rain', state: 'planned', keySealed: true, heardAt: null, fittedAt: null, haveRevision: null });

/** What a look before writing says of a node. */
export const look = (verdict: 'pass' | 'warn' | 'fail', chosen = '1.0.0') => [
  {
    node: 'roof-rain',
    board: 'gateway-board',
    image: image(chosen).id,
    firstWrite: 'this protocol',
    checks: [{ verdict, title: 'Sheet', detail: 'Outdoors: coat the board.' }],
  },
];
