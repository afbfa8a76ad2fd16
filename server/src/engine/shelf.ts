/** What somebody has put on the shelf: alerts of this origin stand there and are told to nobody until then. */
export interface Shelf {
  readonly by: string;
  readonly why: string;
  /** ms since 1970. */
  readonly until: number;
}

/** Shelves by the key of the alerts they are for, as they hold now. One that trips again on the shelf stays there. */
export class ShelfBook {
  private readonly shelves = new Map<string, Shelf>();

  /** The shelf that alerts of this key stand on; `null`: none. It ends when it is taken away, not by the clock alone. */
  of(key: string): Shelf | null {
    return this.shelves.get(key) ?? null;
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
