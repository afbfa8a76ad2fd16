/**
 * With Shift held a tick counts for all from the row that was ticked last to this one. The box says nothing of keys as it changes: what was
 * held is noted as the button, or the space bar, goes down.
 */
export class RangeTick {
  private last: string | null = null;
  private isHeld = false;

  note({ shiftKey }: Pick<MouseEvent | KeyboardEvent, 'shiftKey'>): void {
    this.isHeld = shiftKey;
  }

  /** The rows that a tick at this one means; `order` as they are shown. */
  through(row: string, order: readonly string[]): readonly string[] {
    const [from, to] = [this.last === null ? -1 : order.indexOf(this.last), order.indexOf(row)];
    const isRange = this.isHeld && from >= 0 && to >= 0;
    this.last = row;
    this.isHeld = false;
    return isRange ? order.slice(Math.min(from, to), Math.max(from, to) + 1) : [row];
  }
}
