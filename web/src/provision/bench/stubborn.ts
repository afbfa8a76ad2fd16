import { ApiError } from '../../data/api';

/** How long a server that does not answer is asked again: a restart takes seconds. */
const TRIES = 60;
const EVERY_MS = 1000;
/** The socket tells that a server has gone before its HTTP does. */
const SOCKET_FIRST_MS = 300;

const wait = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** Does it again every second while the server does not answer. */
export async function stubborn<T>(act: () => Promise<T>): Promise<T> {
  for (let attempt = 1; ; attempt++) {
    try {
      return await act();
    } catch (error) {
      if (!(error instanceof ApiError) || error.status !== 0 || attempt >= TRIES) throw error;
      await wait(EVERY_MS);
    }
  }
}

/** Did the server go just now? Resolves with true once it is back; false where it never was away. */
export async function serverWent(): Promise<boolean> {
  const answers = (): Promise<boolean> =>
    fetch('/healthz').then(
      (answer) => answer.ok,
      () => false,
    );
  await wait(SOCKET_FIRST_MS);
  if (await answers()) return false;
  for (let i = 0; i < TRIES; i++) {
    await wait(EVERY_MS);
    if (await answers()) return true;
  }
  return false;
}
