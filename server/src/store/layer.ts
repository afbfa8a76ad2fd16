/** A map laid over another: what is set or deleted stays here until it is kept. */
export class Layer<K, V> implements Iterable<[K, V]> {
  private readonly written = new Map<K, V>();
  private readonly deleted = new Set<K>();

  constructor(private readonly under: Map<K, V>) {}

  get(key: K): V | undefined {
    if (this.deleted.has(key)) return undefined;
    return this.written.get(key) ?? this.under.get(key);
  }

  has(key: K): boolean {
    return this.written.has(key) || (!this.deleted.has(key) && this.under.has(key));
  }

  set(key: K, value: V): void {
    this.deleted.delete(key);
    this.written.set(key, value);
  }

  delete(key: K): void {
    this.written.delete(key);
    if (this.under.has(key)) this.deleted.add(key);
  }

  /** What was set since it was laid, newest value of each. */
  changes(): ReadonlyMap<K, V> {
    return this.written;
  }

  *keys(): Generator<K> {
    for (const key of this.under.keys()) if (!this.deleted.has(key) && !this.written.has(key)) yield key;
    yield* this.written.keys();
  }

  *[Symbol.iterator](): Generator<[K, V]> {
    for (const entry of this.under) if (!this.deleted.has(entry[0]) && !this.written.has(entry[0])) yield entry;
    yield* this.written;
  }

  /** Puts everything into the map below. */
  keep(): void {
    for (const key of this.deleted) this.under.delete(key);
    for (const [key, value] of this.written) this.under.set(key, value);
  }
}
