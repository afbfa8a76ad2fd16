// How long a test lasts before it has failed. Several at once on two processors that others use as well: what is slow there is no fault of what is
// tested, and what waits for something that never comes has a shorter end of its own.
jest.setTimeout(180_000);
