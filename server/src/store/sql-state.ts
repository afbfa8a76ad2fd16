/** The five characters by which the database says what was wrong; empty where an error is not the database's. */
export function sqlState(error: unknown): string {
  const code = (error as { code?: unknown } | null)?.code;
  return typeof code === 'string' && /^[0-9A-Z]{5}$/.test(code) ? code : '';
}

/** Connection, resources, shutdown, time limits and deadlocks: the same may go well in a moment. */
const PASSING = /^(08|25P03|40|53|55P03|57)/;
const SOCKET = ['ECONNREFUSED', 'ECONNRESET', 'EPIPE', 'ETIMEDOUT', 'ENOENT'];

/** Is the database away, or too busy, so that the same is worth trying again? */
export function databaseAway(error: unknown): boolean {
  const state = sqlState(error);
  const { code, name, message } = error as { code?: unknown; name?: unknown; message?: unknown };
  if (state !== '') return PASSING.test(state) || (state === '55000' && /not (currently )?accepting connections/.test(String(message)));
  return (
    (typeof code === 'string' && SOCKET.includes(code)) ||
    name === 'KnexTimeoutError' ||
    (typeof message === 'string' &&
      /connection (terminated|ended|error)|timeout expired|not queryable|client has encountered/i.test(message))
  );
}
