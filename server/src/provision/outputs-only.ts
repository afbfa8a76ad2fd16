import { judgeReadBacks } from '@dewpost/core/fit';
import { isOfSensor, type DoneMessage } from '@dewpost/core/wire';
import type { NodeEntry, PointEntry } from '../model/entries';

interface Waiting {
  readonly run: number;
  readonly outputs: readonly PointEntry[];
  readonly heard: Map<string, DoneMessage>;
}

const hasReadings = (node: NodeEntry): boolean =>
  [...node.points.values()].some((point) => point.body.kind === 'measured' && isOfSensor(point));

/** Proves nodes that measure nothing: by contact, and by reading back each output after it was told to go off. */
export class OutputsOnly {
  private readonly waiting = new Map<NodeEntry, Waiting>();

  constructor(
    private readonly parts: {
      tell(outputs: readonly PointEntry[]): Promise<void>;
      prove(node: NodeEntry, run: number, verdict: { passed: boolean; detail: string; code: string | null }): Promise<void>;
    },
  ) {}

  /** The node has made contact on this run. Nothing happens for one that measures: its readings prove it. */
  async ask(node: NodeEntry, run: number): Promise<void> {
    if (hasReadings(node)) return;
    const outputs = [...node.points.values()].filter((point) => point.body.output);
    if (outputs.length === 0)
      return this.parts.prove(node, run, { passed: true, detail: 'in contact; it measures and switches nothing', code: null });
    this.waiting.set(node, { run, outputs, heard: new Map() });
    await this.parts.tell(outputs);
  }

  async heard(node: NodeEntry, output: PointEntry, done: DoneMessage): Promise<void> {
    const waiting = this.waiting.get(node);
    if (!waiting) return;
    waiting.heard.set(output.name, done);
    const verdict = judgeReadBacks(
      waiting.outputs.map((one) => ({
        label: one.body.label,
        readBack: one.body.output?.readBack ?? 'none',
        done: waiting.heard.get(one.name) ?? null,
      })),
    );
    if (verdict === null) return;
    this.waiting.delete(node);
    await this.parts.prove(node, waiting.run, verdict);
  }

  /** Outputs that have not answered yet. */
  missing(node: NodeEntry): { point: string; text: string }[] {
    const waiting = this.waiting.get(node);
    this.waiting.delete(node);
    return (waiting?.outputs ?? [])
      .filter((one) => !waiting?.heard.has(one.name))
      .map((one) => ({ point: one.name, text: 'does not read back' }));
  }
}
