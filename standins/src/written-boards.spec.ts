import { nodeConfigurationSchema } from '@dewpost/core/wire';
import { existsSync, mkdtempSync, readFileSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { WrittenBoards, type StoredBoard } from './written-boards';

const directory = mkdtempSync(join(tmpdir(), 'dewpost-boards-'));
afterAll(() => rmSync(directory, { recursive: true, force: true }));

const board = (node: string, hardwareId: string): StoredBoard => ({
  hardwareId,
  board: 'wifi-dual-38',
  firmware: 'dewnode 1.0.0',
  firmwareSha256: 'a'.repeat(64),
  configuration: nodeConfigurationSchema.parse({
    ...{ format: 1, node, room: 'Grain loft', sheet: 'Climate post', revision: 1, reportSeconds: 30, key: 'k'.repeat(43) },
    ...{ broker: { host: '127.0.0.1', port: 1883 }, networks: [{ name: 'wrenfold', passphrase: 'a passphrase' }] },
    ...{ points: [{ name: 'temperature', unit: '°C' }], outputs: [] },
  }),
});

describe('boards that were written', () => {
  it('are there again after a restart, in a file that nobody else reads; another board takes the place of the one before', () => {
    const file = join(directory, 'one', 'flash.json');
    const boards = new WrittenBoards(file);
    expect(boards.boards).toEqual([]);
    boards.add(board('loft-1', 'dw-1'));
    boards.add(board('loft-2', 'dw-2'));
    boards.add(board('loft-1', 'dw-3'));
    expect(statSync(file).mode & 0o077).toBe(0);
    const again = new WrittenBoards(file);
    expect(again.boards.map(({ hardwareId }) => hardwareId)).toEqual(['dw-2', 'dw-3']);
    expect(again.of('loft-1')?.hardwareId).toBe('dw-3');
    expect(again.of('loft-9')).toBeUndefined();
  });

  it('keep what came over the air, until they are written whole', () => {
    const file = join(directory, 'air.json');
    const boards = new WrittenBoards(file);
    const loft = board('loft-1', 'dw-1');
    boards.add(loft);
    const flash = boards.flashOf(loft);
    expect(boards.flashOf(loft)).toBe(flash);
    flash.slots[1] = { firmware: 'dewnode 1.1.0', sha256: 'b'.repeat(64), whole: true, offer: '3', mute: false, failed: false };
    boards.saveSoon();
    expect(readFileSync(file, 'utf8')).not.toContain('1.1.0');
    boards.flush();
    const again = new WrittenBoards(file);
    expect(again.flashOf(again.boards[0]!).slots[1]).toMatchObject({ firmware: 'dewnode 1.1.0', whole: true });
    boards.erase('dw-1');
    expect(boards.flashOf(loft)).not.toBe(flash);
  });

  it('nothing is written where nothing waits', () => {
    const file = join(directory, 'none.json');
    new WrittenBoards(file).flush();
    expect(existsSync(file)).toBe(false);
  });
});
