/** One thing to buy. */
export interface PartsLine {
  readonly name: string;
  readonly quantity: number;
  readonly price: number;
  readonly sum: number;
}

/** A price from so many on. */
export interface PriceBreak {
  readonly from: number;
  readonly price: number;
}

/** What a kind of node is made of, and how many there are of it. */
export interface Batch {
  readonly nodes: number;
  readonly items: readonly { readonly name: string; readonly price: number; readonly priceBreaks?: readonly PriceBreak[] }[];
}

/** Price of each where so many are bought: the break with the highest `from` that is reached. */
const priceAt = (quantity: number, price: number, breaks: readonly PriceBreak[]): number =>
  breaks.reduce((best, one) => (one.from <= quantity && one.from >= best.from ? one : best), { from: 0, price }).price;

/** What is to be bought of one thing: the quantity needed, or the next break where that costs less in all. */
function buy(quantity: number, price: number, breaks: readonly PriceBreak[]): { quantity: number; price: number; sum: number } {
  const choices = [quantity, ...breaks.map((one) => one.from).filter((from) => from > quantity)].map((count) => {
    const each = priceAt(count, price, breaks);
    return { quantity: count, price: each, sum: count * each };
  });
  return choices.reduce((best, one) => (one.sum < best.sum - 1e-9 ? one : best));
}

/** All that is to be bought for these batches, spares included (rounded up by item), dearest first. `sparesPercent` 0 to 100. */
export function partsList(batches: readonly Batch[], sparesPercent: number): PartsLine[] {
  const counts = new Map<string, { quantity: number; price: number; breaks: readonly PriceBreak[] }>();
  for (const { nodes, items } of batches) {
    for (const { name, price, priceBreaks = [] } of items) {
      const before = counts.get(name)?.quantity ?? 0;
      counts.set(name, { quantity: before + nodes, price, breaks: priceBreaks });
    }
  }
  return [...counts]
    .map(([name, { quantity, price, breaks }]) => {
      const spares = Math.ceil((quantity * sparesPercent) / 100 - 1e-9);
      return { name, ...buy(quantity + spares, price, breaks) };
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
