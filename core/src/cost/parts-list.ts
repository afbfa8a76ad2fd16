/** One thing to buy. */
export interface PartsLine {
  readonly name: string;
  readonly quantity: number;
  readonly price: number;
  readonly sum: number;
}

/** What a kind of node is made of, and how many there are of it. */
export interface Batch {
  readonly nodes: number;
  readonly items: readonly { readonly name: string; readonly price: number }[];
}

/** All that is to be bought for these batches, spares included (rounded up by item), dearest first. `sparesPercent` 0 to 100. */
export function partsList(batches: readonly Batch[], sparesPercent: number): PartsLine[] {
  const counts = new Map<string, { quantity: number; price: number }>();
  for (const { nodes, items } of batches) {
    for (const { name, price } of items) {
      const before = counts.get(name) ?? { quantity: 0, price };
      counts.set(name, { quantity: before.quantity + nodes, price });
    }
  }
  return [...counts]
    .map(([name, { quantity, price }]) => {
      const bought = quantity + Math.ceil((quantity * sparesPercent) / 100 - 1e-9);
      return { name, quantity: bought, price, sum: bought * price };
    })
    .sort((a, b) => b.sum - a.sum);
}

/** Making against buying: a bought node's price and yearly fee, the maker's hours a node and what an hour is worth. */
export interface Buying {
  readonly unitPrice: number;
  readonly yearlyFee: number;
  readonly hoursPerNode: number;
  readonly hourlyWorth: number;
}

/** Money saved at once, and months until making has paid for itself; 0: at once, `null`: never. */
export function breakEven(partsSum: number, nodes: number, buying: Buying): { savedAtOnce: number; months: number | null } {
  const made = partsSum + nodes * buying.hoursPerNode * buying.hourlyWorth;
  const savedAtOnce = nodes * buying.unitPrice - made;
  if (savedAtOnce >= 0) return { savedAtOnce, months: 0 };
  const fees = nodes * buying.yearlyFee;
  return { savedAtOnce, months: fees > 0 ? (-savedAtOnce / fees) * 12 : null };
}
