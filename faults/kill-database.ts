// The database is killed in mid-stream, again and again: all its processes at once, as when its machine loses power.
import { campaign, holdAccounts } from './accounts';
import { House, seconds } from './house';

const kills = Number(process.env['DEWPOST_KILLS'] ?? 100);
await campaign(House.open({ nodes: 8 }), async (house) => {
  await house.begin();
  for (const node of house.nodes) node.reportEvery(40);
  for (let i = 0; i < kills; i++) {
    await seconds(0.2 + Math.random());
    house.signalDatabase('SIGKILL');
    await house.postgres.start();
    if (!house.running) throw new Error('the server ended with its database');
  }
  await seconds(3);
  await holdAccounts(house, `${kills} kills of the database`);
});
