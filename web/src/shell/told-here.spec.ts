import { respond, type LiveEvent } from '@dewpost/contract';
import { TestBed } from '@angular/core/testing';
import { MatSnackBar } from '@angular/material/snack-bar';
import { Actions } from '@ngrx/effects';
import { firstValueFrom, Subject } from 'rxjs';
import { Api } from '../data/api';
import { LiveActions } from '../data/live.actions';
import { showTold } from './told-here';

const told = (id: string, alertId: number | null): LiveEvent => ({
  type: 'told',
  to: 'baker',
  message: { id, to: 'Phone in the mill', title: 'Frost', text: 'In the beds.', severity: 'critical', alertId, trippedAt: 1, sentAt: 2 },
});

describe('a message to whoever sits here', () => {
  const shown: { text: string; action: string | undefined; act: Subject<void> }[] = [];
  const asked: unknown[] = [];
  let events: Subject<ReturnType<typeof LiveActions.eventsArrived>>;
  let hidden: boolean;
  /** Says so once what has arrived is dealt with. */
  let handled: Subject<unknown>;
  beforeEach(() => {
    shown.length = asked.length = 0;
    hidden = false;
    jest.spyOn(document, 'hidden', 'get').mockImplementation(() => hidden);
    events = new Subject();
    const open = (text: string, action?: string) => {
      const act = new Subject<void>();
      shown.push({ text, action, act });
      return { onAction: () => act };
    };
    const call = (endpoint: object, { params }: { params: unknown }): Promise<unknown> => {
      asked.push([endpoint === respond.taken ? 'taken' : endpoint === respond.acknowledge ? 'acknowledge' : endpoint, params]);
      return endpoint === respond.taken ? Promise.reject(new Error('the link is lost')) : Promise.resolve({});
    };
    TestBed.configureTestingModule({
      providers: [
        { provide: Actions, useValue: new Actions(events) },
        { provide: MatSnackBar, useValue: { open } },
        { provide: Api, useValue: { call } },
      ],
    });
    handled = new Subject();
    TestBed.runInInjectionContext(() => showTold()).subscribe(handled);
  });
  afterEach(() => jest.restoreAllMocks());
  const arrive = async (...all: LiveEvent[]): Promise<void> => {
    const done = firstValueFrom(handled);
    events.next(LiveActions.eventsArrived({ events: all }));
    await done;
  };

  it('is shown and confirmed, and acknowledged from where it is shown; a confirmation that is lost stops nothing', async () => {
    await arrive(told('a', 7));
    expect(shown).toMatchObject([{ text: 'Frost. In the beds.', action: 'Acknowledge' }]);
    expect(asked).toEqual([['taken', { id: 'a' }]]);
    shown[0]!.act.next();
    expect(asked[1]).toEqual(['acknowledge', { id: 7 }]);
    await arrive(told('b', null));
    expect(shown[1]).toMatchObject({ action: 'Close' });
  });
  it('is not confirmed by a page that nobody can see', async () => {
    hidden = true;
    await arrive(told('a', 7), { type: 'threshold-retired', id: 1 });
    expect([shown.length, asked]).toEqual([1, []]);
  });
});
