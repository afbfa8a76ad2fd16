import { appendFileSync, existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Backlog, BACKLOG_RECORDS } from './backlog';

const NOW = 1_795_000_000;
const at = (t: number): { n: string; t: number; v: number } => ({ n: 'temperature', t, v: 20 });

describe('what a node did not get through', () => {
  let folder: string;
  beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'backlog-'))));
  afterEach(() => rmSync(folder, { recursive: true, force: true }));

  it('outlives a power cut, in the order in which it was measured, a torn last line aside', () => {
    const file = join(folder, 'deep', 'board.jsonl');
    new Backlog(file).add([at(NOW - 2), at(NOW - 1)], NOW);
    appendFileSync(file, '{"n":"temperature","t":17950');
    const anew = new Backlog(file);
    expect([anew.size, anew.oldest(10).map(({ t }) => t)]).toEqual([2, [NOW - 2, NOW - 1]]);
  });
  it('is given piece by piece and gone only when it was acknowledged; all of it sent, its store is empty', () => {
    const file = join(folder, 'board.jsonl');
    const backlog = new Backlog(file);
    backlog.add([at(NOW - 3), at(NOW - 2), at(NOW - 1)], NOW);
    expect(backlog.oldest(2)).toHaveLength(2);
    expect(backlog.size).toBe(3);
    backlog.sent(2);
    // Cut off here, all three go out again: the server knows them.
    expect([backlog.oldest(9).map(({ t }) => t), new Backlog(file).size]).toEqual([[NOW - 1], 3]);
    backlog.sent(1);
    expect([existsSync(file), new Backlog(file).size]).toEqual([false, 0]);
  });
  it('holds a month and a hundred thousand records at most: the oldest go', () => {
    const backlog = new Backlog(null);
    backlog.add([at(NOW - 31 * 86_400), at(NOW - 29 * 86_400)], NOW);
    expect(backlog.oldest(9).map(({ t }) => t)).toEqual([NOW - 29 * 86_400]);
    backlog.add(
      Array.from({ length: BACKLOG_RECORDS }, (_, i) => at(NOW - BACKLOG_RECORDS + i)),
      NOW,
    );
    expect([backlog.size, backlog.oldest(1)[0]?.t]).toEqual([BACKLOG_RECORDS, NOW - BACKLOG_RECORDS]);
  });
});
