import { aSnapshot, Rig } from '../../testing/rig';
import { StandinsApi } from '../../shell/standins-api';
import { ListenPage } from './listen-page';

describe('the page that listens', () => {
  const open = (nodePages: string | null, ports: object[] = []) =>
    Rig.open(ListenPage, {
      snapshot: { status: { ...aSnapshot().status, nodePages } },
      providers: [{ provide: StandinsApi, useValue: { ports: () => Promise.resolve(ports) } }],
    });

  it('says so where the browser hands out no ports, what would, and what works meanwhile', async () => {
    const rig = await open(null);
    expect(rig.text).toContain('hands out no serial ports here');
    expect(rig.text).toContain('Reaching Dew Post');
    expect(rig.text).toContain('115 200 baud');
    expect(rig.text).not.toContain('of the stand-ins');
  });

  it('offers the stand-ins’ ports, but none that another page has', async () => {
    const rig = await open('http://127.0.0.1:1', [
      { id: 1, mishap: 'none', open: false },
      { id: 2, mishap: 'none', open: true },
    ]);
    expect(rig.button('Port 1 of the stand-ins').disabled).toBe(false);
    expect(rig.button('Port 2 of the stand-ins, in use').disabled).toBe(true);
  });
});
