/** What came of keeping something, said beside its button. */
export interface Outcome {
  readonly text: string;
  readonly bad: boolean;
}
