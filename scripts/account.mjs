// npm run account -- add --name <name> --role maker|keeper: makes an account, the first maker of a real installation among them.
import { buildStale, ensurePackages } from './lib/prepare.mjs';
import { run } from './lib/run.mjs';

await ensurePackages();
process.env.DEWPOST_BUILD_QUIET = '1';
await buildStale();
await run(process.execPath, ['server/dist/account.js', ...process.argv.slice(2)]).catch((error) =>
  process.exit(typeof error.code === 'number' ? error.code : 1),
);
