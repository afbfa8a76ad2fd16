/** A worker in this thread: what it is about is kept, and a question is answered a little later, as the other does. */
export class InThisThread<Subject, Question> {
  onmessage: (event: { data: unknown }) => void = () => undefined;
  private record: Subject | null = null;

  constructor(private readonly answer: (record: Subject, job: Question) => unknown) {}

  postMessage(data: { record: Subject } | { id: number; job: Question }): void {
    if ('record' in data) {
      this.record = data.record;
      return;
    }
    void Promise.resolve().then(() => this.onmessage({ data: { id: data.id, answer: this.record && this.answer(this.record, data.job) } }));
  }
  terminate(): void {
    this.record = null;
  }
}
