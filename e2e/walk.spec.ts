import { itBegins } from './first-day-steps';
import { itCaresFor } from './care-steps';
import { itDraws } from './plan-steps';
import { itFitsARound } from './fit-steps';
import { itGoesWrong } from './trouble-steps';
import { itKeepsTheRecord, type Hands } from './record-steps';
import { itGoesByKeyboard } from './keyboard-steps';
import { itLooksRight } from './look-steps';
import { itReaches } from './reach-steps';
import { itResponds } from './respond-steps';
import { itWritesOthers } from './nodes-steps';
import { afterwards, barriers, begin, end, faults, go, mishap, mqttPort, noteBarriers, page } from './walk';

// Each wait has its own end (`openPage`); a step has many of them.
jest.setTimeout(600_000);
beforeAll(begin);
afterAll(end);

// One walk, as a new user takes it; each step stands on the one before.
describe('the whole slice, by hand', () => {
  itBegins();
  itDraws();
  itGoesWrong();
  itWritesOthers();
  itCaresFor();

  const hands: Hands = {
    page: () => page,
    go,
    mishap,
    noteBarriers: (where) => noteBarriers(where),
    mqttPort: () => mqttPort,
    afterwards,
  };
  itFitsARound(hands);
  itKeepsTheRecord(hands);
  itResponds(hands);
  itReaches(hands);

  itGoesByKeyboard();
  itLooksRight();

  it('axe-core found nothing serious on any page', () => expect(barriers).toEqual([]));
  it('what is shipped of others is named with its licence, the fonts too', async () => {
    const notices = await page.evaluate(() => fetch('/third-party.txt').then((answer) => answer.text()));
    expect(notices.match(/SIL OPEN FONT LICENSE Version 1\.1/g)).toHaveLength(2);
    expect(notices).toContain('@angular/material');
  });

  it('nothing was ever against the content policy, and no page threw', () => {
    expect(faults.filter((fault) => !/ERR_|Failed to fetch|503|EventSource/.test(fault))).toEqual([]);
  });
});
