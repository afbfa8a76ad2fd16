// The database's disk runs full, and has room again: a small file system in memory. Needs root, to mount it.
import { execFileSync } from 'node:child_process';
import { mkdirSync, rmSync, statfsSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { campaign, holdAccounts } from './accounts';
import { House, seconds, until } from './house';

const MEGABYTE = 1024 * 1024;
const disk = resolve(process.env['DEWPOST_FAULTS_DIR'] ?? '.data/faults', 'disk');
mkdirSync(disk, { recursive: true });
let mounted = false;
try {
  execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=400m', 'tmpfs', disk], { stdio: 'ignore' });
  mounted = true;
} catch {
  console.log('full disk: left out, a file system cannot be mounted here (that needs root)');
}
if (mounted) {
  try {
    await campaign(House.open({ nodes: 8, databaseIn: join(disk, 'pg') }), async (house) => {
      const ballast = join(disk, 'ballast');
      await house.begin();
      for (const node of house.nodes) node.reportEvery(20);
      await seconds(3);
      const { bavail, bsize } = statfsSync(disk);
      writeFileSync(ballast, Buffer.alloc(Math.max(0, bavail * bsize - MEGABYTE / 2)));
      await until('the database has no room', async () => {
        const known = house.nodes.reduce((sum, node) => sum + node.acknowledged.size, 0);
        await seconds(1);
        return house.nodes.reduce((sum, node) => sum + node.acknowledged.size, 0) === known;
      });
      if (!house.running) throw new Error('the server ended with the room on the disk');
      const ready = await house.status('/readyz');
      if (ready !== 503) throw new Error(`/readyz said ${ready} while nothing can be stored`);
      await seconds(5);
      rmSync(ballast);
      // A database that had to stop is started again by whoever runs it.
      await house.postgres.start();
      await seconds(8);
      await holdAccounts(house, 'a full disk');
    });
  } finally {
    execFileSync('umount', ['-l', disk]);
  }
}
