/** Questions that a worker answers: what they are about goes over once, then a question each time; the newest answer counts. */
export class AskedAway<Subject, Question, Answer> {
  private worker: Promise<Worker> | null = null;
  private newest = 0;
  private waiting: { id: number; resolve: (answer: Answer | null) => void } | null = null;

  constructor(private readonly openWorker: () => Promise<Worker>) {}

  async load(record: Subject): Promise<void> {
    (await this.open()).postMessage({ record });
  }

  /** `null`: a newer question overtook it, or the worker failed. */
  async ask(job: Question): Promise<Answer | null> {
    const id = ++this.newest;
    this.settle(null);
    const worker = await this.open();
    if (id !== this.newest) return null;
    return new Promise((resolve) => {
      this.waiting = { id, resolve };
      worker.postMessage({ id, job });
    });
  }

  end(): void {
    this.settle(null);
    void this.worker?.then((worker) => worker.terminate());
  }

  private open(): Promise<Worker> {
    this.worker ??= this.openWorker().then((worker) => {
      worker.onmessage = ({ data }: MessageEvent<{ id: number; answer: Answer }>) => {
        if (data.id === this.waiting?.id) this.settle(data.answer);
      };
      worker.onerror = () => this.settle(null);
      return worker;
    });
    return this.worker;
  }

  private settle(answer: Answer | null): void {
    this.waiting?.resolve(answer);
    this.waiting = null;
  }
}
