// The database does not answer for half a minute: a machine that swaps, a disk that hangs.
import { campaign, holdAccounts } from './accounts';
import { House, seconds } from './house';

await campaign(House.open({ nodes: 8 }), async (house) => {
  await house.begin();
  for (const node of house.nodes) node.reportEvery(200);
  await seconds(3);
  house.signalDatabase('SIGSTOP');
  const asked = Date.now();
  const ready = await house.status('/readyz');
  const waited = (Date.now() - asked) / 1000;
  await seconds(30 - waited);
  house.signalDatabase('SIGCONT');
  if (ready !== 503) throw new Error(`/readyz said ${ready} while the database was away`);
  if (waited > 5) throw new Error(`/readyz took ${waited} s`);
  await seconds(15);
  const silent = await house.query(`select id from alert where kind = 'silent'`);
  if (silent.length > 0) throw new Error(`${silent.length} nodes were called silent while nobody could listen`);
  await holdAccounts(house, 'the database paused for 30 s');
});
