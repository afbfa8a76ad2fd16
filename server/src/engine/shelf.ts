import { severityRank, type Severity } from '@dewpost/core/alarm';

/** What somebody has put on the shelf: alerts of this origin stand there and are told to nobody until then. */
export interface Shelf {
  /** What the alert was when it was put there: a graver one of the same origin is told. */
  readonly severity: Severity;
  readonly by: string;
  readonly why: string;
  /** ms since 1970. */
  readonly until: number;
}

/** Shelves by the key of the alerts they are for, as they hold now. One that trips again on the shelf stays there. */
export class ShelfBook {
  private readonly shelves = new Map<string, Shelf>();

  /** The shelf that an alert of this key and severity stands on; `null`: none. It ends when it is taken away, not by the clock alone. */
  of(key: string, severity: Severity): Shelf | null {
    const shelf = this.shelves.get(key);
    return shelf && severityRank(severity) <= severityRank(shelf.severity) ? shelf : null;
  }
  entries(): readonly (readonly [key: string, shelf: Shelf])[] {
    return [...this.shelves];
  }
  /** Once the database has it. */
  put(key: string, shelf: Shelf): void {
    this.shelves.set(key, shelf);
  }
  take(key: string): void {
    this.shelves.delete(key);
  }
}
