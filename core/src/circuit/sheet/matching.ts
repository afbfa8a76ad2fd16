/** A matching of every row to a column of its own, or rows that together have too few columns. */
export type Matching =
  | { readonly ok: true; readonly columns: readonly number[]; readonly cost: number }
  /** A smallest set of rows that cannot all be served (Hall): one more than the columns that any of them may use. */
  | { readonly ok: false; readonly rows: readonly number[] };

/**
 * Gives every row a column of its own at the least total cost; `costs[row][column]` at least 0, `Infinity` where the two do not go
 * together. Exact: shortest augmenting paths with potentials (Kuhn 1955, Jonker and Volgenant 1987), O(rows² · columns). Where a path
 * ends nowhere, the rows it reached are the conflict by Hall's theorem.
 */
export function cheapestMatching(costs: readonly (readonly number[])[]): Matching {
  const width = costs[0]?.length ?? 0;
  const rowPotential = new Array<number>(costs.length + 1).fill(0);
  const columnPotential = new Array<number>(width + 1).fill(0);
  /** Row (from 1) that a column (from 1) serves; column 0 is where each search begins. */
  const rowOf = new Array<number>(width + 1).fill(0);
  const cameFrom = new Array<number>(width + 1).fill(0);
  for (let row = 1; row <= costs.length; row++) {
    rowOf[0] = row;
    let column = 0;
    const reach = new Array<number>(width + 1).fill(Infinity);
    const done = new Array<boolean>(width + 1).fill(false);
    while (rowOf[column] !== 0) {
      done[column] = true;
      const here = rowOf[column] as number;
      let least = Infinity;
      let next = -1;
      for (let j = 1; j <= width; j++) {
        if (done[j]) continue;
        const cost = (costs[here - 1]?.[j - 1] ?? Infinity) - (rowPotential[here] ?? 0) - (columnPotential[j] ?? 0);
        if (cost < (reach[j] ?? Infinity)) {
          reach[j] = cost;
          cameFrom[j] = column;
        }
        if ((reach[j] ?? Infinity) < least) {
          least = reach[j] ?? Infinity;
          next = j;
        }
      }
      if (next === -1) return { ok: false, rows: rowOf.flatMap((one, j) => (done[j] ? [one - 1] : [])).sort((a, b) => a - b) };
      for (let j = 0; j <= width; j++) {
        if (done[j]) {
          const served = rowOf[j] as number;
          rowPotential[served] = (rowPotential[served] ?? 0) + least;
          columnPotential[j] = (columnPotential[j] ?? 0) - least;
        } else reach[j] = (reach[j] ?? Infinity) - least;
      }
      column = next;
    }
    while (column !== 0) {
      const before = cameFrom[column] as number;
      rowOf[column] = rowOf[before] as number;
      column = before;
    }
  }
  const columns = new Array<number>(costs.length).fill(-1);
  for (let j = 1; j <= width; j++) if ((rowOf[j] ?? 0) > 0) columns[(rowOf[j] as number) - 1] = j - 1;
  return { ok: true, columns, cost: columns.reduce((sum, column, row) => sum + (costs[row]?.[column] ?? 0), 0) };
}
