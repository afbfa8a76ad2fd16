// Four of these at once on two processors: five seconds are too few for a house of one's own.
jest.setTimeout(30_000);
