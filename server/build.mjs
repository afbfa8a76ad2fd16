import { build } from 'esbuild';

// Packages stay outside: they are installed, and native pieces cannot be bundled. Ours come in from their sources.
await build({
  absWorkingDir: import.meta.dirname,
  entryPoints: { main: 'src/main.ts', account: 'src/account.ts', seed: 'src/seed.ts' },
  outdir: 'dist',
  bundle: true,
  splitting: true,
  platform: 'node',
  target: 'node20',
  format: 'esm',
  sourcemap: true,
  tsconfig: 'tsconfig.json',
  external: [
    '@node-rs/argon2',
    'aedes',
    'cbor-x',
    'connect-pg-simple',
    'express',
    'express-rate-limit',
    'express-session',
    'helmet',
    'knex',
    'luxon',
    'pg',
    'pino',
    'pino-http',
    'prom-client',
    'zod',
  ],
  logLevel: 'warning',
});
