/**
 * Lets work begin one after the other, so many under way and so far apart at least; the rest waits in line. For what must
 * never stand in the way of readings.
 */
export class Pace {
  private underWay = 0;
  private lastAt = 0;
  private timer: NodeJS.Timeout | null = null;
  private readonly line: (() => void)[] = [];

  constructor(private readonly limits: { atOnce: number; apartMs: number; inLine: number }) {}

  /** Resolves when it is one's turn, with what to call when done; `null` where the line is too long. */
  turn(): Promise<() => void> | null {
    if (this.line.length >= this.limits.inLine) return null;
    return new Promise((resolve) => {
      this.line.push(() => {
        let over = false;
        resolve(() => {
          if (over) return;
          over = true;
          this.underWay--;
          this.next();
        });
      });
      this.next();
    });
  }

  private next(): void {
    if (this.timer || this.line.length === 0 || this.underWay >= this.limits.atOnce) return;
    const wait = this.lastAt + this.limits.apartMs - Date.now();
    if (wait > 0) {
      this.timer = setTimeout(() => {
        this.timer = null;
        this.next();
      }, wait);
      return;
    }
    this.lastAt = Date.now();
    this.underWay++;
    this.line.shift()?.();
    this.next();
  }
}
