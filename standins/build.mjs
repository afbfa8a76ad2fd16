import { build } from 'esbuild';

await build({
  absWorkingDir: import.meta.dirname,
  entryPoints: { main: 'src/main.ts' },
  outdir: 'dist',
  bundle: true,
  platform: 'node',
  target: 'node20',
  format: 'esm',
  sourcemap: true,
  tsconfig: 'tsconfig.json',
  external: ['mqtt', 'smtp-server', 'ws', 'zod'],
  logLevel: 'warning',
});
