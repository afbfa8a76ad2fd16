import { buildStale, ensurePackages } from './lib/prepare.mjs';

await ensurePackages();
await buildStale();
