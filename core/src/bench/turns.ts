/** One node on the bench, as far as it matters to whose turn it is. */
export interface BenchJob {
  readonly node: string;
  /** The port it is written at now; `null`: none yet. */
  readonly port: number | null;
  /** Its gateway, which is written before it; `null`: it has none. */
  readonly after: string | null;
  /** `queued`: it waits; `contact`: it is written and joined; `over`: it is through, or has failed. Anything else is under way. */
  readonly step: string;
}

/**
 * The gateway that a leaf waits for: until it is on the network, its leaf hears nothing. `null`: it need not wait. A gateway that is not
 * on the bench is taken to be up, and one that has failed keeps nobody waiting: its leaf then says by itself that it hears nothing.
 */
export function waitsFor(job: BenchJob, jobs: ReadonlyMap<string, BenchJob>): string | null {
  const gateway = job.after === null ? undefined : jobs.get(job.after);
  return gateway && gateway.step !== 'contact' && gateway.step !== 'over' ? gateway.node : null;
}

/**
 * Whose turn it is at a free port: the node whose board sits there from a run before; where no board of another node sits, the first of
 * those that wait and have no board yet. A port at which another node's board sits is nobody's: writing it would make one board two nodes.
 */
export function turnAt<J extends BenchJob>(
  port: number,
  jobs: ReadonlyMap<string, J>,
  boardAt: ReadonlyMap<string, number>,
): J | undefined {
  const waiting = [...jobs.values()].filter((job) => job.step === 'queued' && job.port === null && waitsFor(job, jobs) === null);
  const own = waiting.find((job) => boardAt.get(job.node) === port);
  const taken = [...boardAt.values()].includes(port);
  return own ?? (taken ? undefined : waiting.find((job) => !boardAt.has(job.node)));
}

/** Which board sits where once this node's was plugged in at `port`, or taken off (`null`). A node has one board. */
export function boardSits(boardAt: ReadonlyMap<string, number>, node: string, port: number | null): ReadonlyMap<string, number> {
  const next = new Map([...boardAt].filter(([other]) => other !== node));
  if (port !== null) next.set(node, port);
  return next;
}
