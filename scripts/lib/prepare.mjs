import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import { root, run } from './run.mjs';

/** Installs packages from the lock file when they are missing or the lock file has changed. */
export async function ensurePackages() {
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');
  const stamp = join(root, 'node_modules/.dewpost-lock');
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === lock) return;
  console.log('installing packages (about a minute, once)');
  await run('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error']);
  writeFileSync(stamp, lock);
}

/** Installs these Debian packages when they are missing; ends the process with one clear line where it cannot. */
export async function ensureSystem(...packages) {
  try {
    await run('bash', ['scripts/ensure-system.sh', ...packages]);
  } catch {
    process.exit(3);
  }
}

const SOURCES = {
  server: ['core/src', 'contract/src', 'server/src', 'server/build.mjs', 'tsconfig.base.json'],
  standins: ['core/src', 'standins/src', 'standins/build.mjs', 'tsconfig.base.json'],
  web: [
    'core/src',
    'contract/src',
    'web/src',
    'web/public',
    'web/angular.json',
    'web/package.json',
    'web/tsconfig.json',
    'web/tsconfig.app.json',
    'tsconfig.base.json',
  ],
};

function* filesBelow(path) {
  if (!existsSync(path)) return;
  if (statSync(path).isFile()) {
    yield path;
    return;
  }
  for (const name of readdirSync(path).sort()) yield* filesBelow(join(path, name));
}

function fingerprint(sources) {
  const hash = createHash('sha256').update(readFileSync(join(root, 'package-lock.json')));
  for (const source of sources) {
    for (const file of filesBelow(join(root, source))) {
      if (/\.spec\.ts$/.test(file)) continue;
      hash.update(relative(root, file)).update(readFileSync(file));
    }
  }
  return hash.digest('hex');
}

/** Builds what has changed since its last build. */
export async function buildStale() {
  for (const [part, sources] of Object.entries(SOURCES)) {
    const stamp = join(root, part, 'dist/.built-from');
    const now = fingerprint(sources);
    if (existsSync(stamp) && readFileSync(stamp, 'utf8') === now) continue;
    console.log(`building ${part}`);
    if (part === 'web')
      await run(process.execPath, [join(root, 'node_modules/@angular/cli/bin/ng.js'), 'build'], {
        cwd: join(root, 'web'),
        stdio: ['ignore', process.env.DEWPOST_BUILD_QUIET ? 'ignore' : 'inherit', 'inherit'],
        env: { ...process.env, NG_CLI_ANALYTICS: 'false' },
      });
    else await run(process.execPath, [`${part}/build.mjs`]);
    mkdirSync(join(root, part, 'dist'), { recursive: true });
    if (part === 'web') writeNotices();
    writeFileSync(stamp, now);
  }
}

/** What is shipped of others, with its licences: what the builder gathered of the script, and the fonts, which it does not look at. */
function writeNotices() {
  const fonts = join(root, 'node_modules/@fontsource-variable');
  const notices = readdirSync(fonts).map(
    (font) => `Font: @fontsource-variable/${font}\n\n${readFileSync(join(fonts, font, 'LICENSE'), 'utf8')}`,
  );
  const script = readFileSync(join(root, 'web/dist/3rdpartylicenses.txt'), 'utf8');
  writeFileSync(join(root, 'web/dist/browser/third-party.txt'), [script, ...notices].join(`\n${'-'.repeat(80)}\n`));
}
