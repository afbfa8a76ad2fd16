import type { LiveEvent } from '@dewpost/contract';
import { randomBytes } from 'node:crypto';

/** One frame of the live stream: what happened within its quarter second. */
export interface Frame {
  sequence: number;
  events: LiveEvent[];
}

type Listener = (frame: Frame) => void;

const FRAME_MS = 250;
/** About four minutes of frames, and at most this many readings, are kept for reconnecting pages. */
const KEPT_FRAMES = 1000;
const KEPT_READINGS = 60_000;

/**
 * Changes out. Events are gathered into frames of 250 ms; frames are numbered `{boot}-{sequence}` and kept for a while, so
 * that a page that reconnects goes on without a gap. Readings never fall out of a frame; later states of the same thing replace earlier ones.
 */
export class Hub {
  readonly boot = randomBytes(4).toString('hex');
  private sequence = 0;
  private pending: LiveEvent[] = [];
  private timer: NodeJS.Timeout | null = null;
  private kept: Frame[] = [];
  private keptReadings = 0;
  private readonly listeners = new Set<Listener>();

  /** The id that the next frame follows: a snapshot read after taking it misses nothing. */
  get id(): string {
    return `${this.boot}-${this.sequence}`;
  }

  publish(events: readonly LiveEvent[]): void {
    if (events.length === 0) return;
    this.pending.push(...events);
    this.timer ??= setTimeout(() => this.flush(), FRAME_MS);
  }

  /** Frames after `id`, or `null` when the id is of another boot or too old: the page must start anew. */
  since(id: string): Frame[] | null {
    const [boot, text] = id.split('-');
    const sequence = Number(text);
    if (boot !== this.boot || !Number.isInteger(sequence) || sequence > this.sequence) return null;
    const oldest = this.kept[0]?.sequence ?? this.sequence + 1;
    return sequence + 1 < oldest ? null : this.kept.filter((frame) => frame.sequence > sequence);
  }

  listen(listener: Listener): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  close(): void {
    if (this.timer) clearTimeout(this.timer);
    this.listeners.clear();
  }

  private flush(): void {
    this.timer = null;
    const frame: Frame = { sequence: ++this.sequence, events: gather(this.pending) };
    this.pending = [];
    this.kept.push(frame);
    this.keptReadings += readingsIn(frame);
    while (this.kept.length > KEPT_FRAMES || (this.keptReadings > KEPT_READINGS && this.kept.length > 1)) {
      const dropped = this.kept.shift();
      if (dropped) this.keptReadings -= readingsIn(dropped);
    }
    for (const listener of this.listeners) listener(frame);
  }
}

const readingsIn = (frame: Frame): number =>
  frame.events.reduce((n, event) => n + (event.type === 'readings' ? event.readings.length : 0), 0);

/** All readings in one event, first; of everything else the newest state of each thing, in order of its last change. */
function gather(events: LiveEvent[]): LiveEvent[] {
  const readings = events.flatMap((event) => (event.type === 'readings' ? event.readings : []));
  const newest = new Map<string, LiveEvent>();
  for (const event of events) {
    if (event.type === 'readings') continue;
    const key = keyOf(event);
    const before = newest.get(key);
    newest.delete(key);
    // A node's points are told once, when it is made: a later change of the node must not lose them.
    const points = before?.type === 'node' ? before.points : undefined;
    newest.set(key, event.type === 'node' && !event.points && points ? { ...event, points } : event);
  }
  return [...(readings.length > 0 ? [{ type: 'readings' as const, readings }] : []), ...newest.values()];
}

function keyOf(event: LiveEvent): string {
  switch (event.type) {
    case 'readings':
    case 'status':
      return event.type;
    case 'node':
      return `node ${event.node.id}`;
    case 'recalibrated':
      return `recalibrated ${event.point.id}`;
    case 'node-retired':
      return `node ${event.id}`;
    case 'threshold':
      return `threshold ${event.threshold.id}`;
    case 'threshold-retired':
      return `threshold ${event.id}`;
    case 'alert':
      return `alert ${event.alert.id}`;
    case 'relay':
      return `relay ${event.relay.point}`;
    case 'delivery':
      return `delivery ${event.delivery.id}`;
    case 'run':
      return `run ${event.run.id}`;
    case 'fit':
      return `fit ${event.node}`;
    case 'trip-test':
      return `trip-test ${event.test.id}`;
    case 'told':
      return `told ${event.message.id}`;
    case 'rollout':
      return `rollout ${event.rollout.id}`;
  }
}
