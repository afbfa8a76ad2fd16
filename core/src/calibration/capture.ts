/** One capture: what the node said, and what a reference beside it showed. */
export interface Capture {
  readonly raw: number;
  readonly reference: number;
}
