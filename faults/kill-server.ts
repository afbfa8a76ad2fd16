// The server (with its broker and its engine) is killed in mid-stream, again and again.
import { campaign, holdAccounts } from './accounts';
import { House, seconds } from './house';

const kills = Number(process.env['DEWPOST_KILLS'] ?? 100);
await campaign(House.open({ nodes: 8 }), async (house) => {
  await house.begin();
  for (const node of house.nodes) node.reportEvery(40);
  for (let i = 0; i < kills; i++) {
    await seconds(0.2 + Math.random());
    await house.killServer();
    await house.startServer();
  }
  await seconds(2);
  await holdAccounts(house, `${kills} kills of the server`);
});
