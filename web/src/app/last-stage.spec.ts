import { ChangeDetectionStrategy, Component } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { provideRouter, Router, RouterPreloader, withPreloading } from '@angular/router';
import { LastStage } from './last-stage';

@Component({ template: '', changeDetection: ChangeDetectionStrategy.OnPush })
class Page {}

const fetched: string[] = [];
const lazy = (path: string) => ({
  path,
  loadComponent: () => {
    fetched.push(path);
    return Promise.resolve(Page);
  },
});
const open = async (url: string): Promise<Router> => {
  fetched.length = 0;
  TestBed.configureTestingModule({
    providers: [
      provideRouter([{ path: '', children: ['watch', 'plan', 'plan/site', 'respond', 'sign-in'].map(lazy) }], withPreloading(LastStage)),
    ],
  });
  const router = TestBed.inject(Router);
  // As the application does once it stands.
  TestBed.inject(RouterPreloader).setUpPreloading();
  await router.navigateByUrl(url);
  return router;
};

describe('the stage used last', () => {
  beforeEach(() => {
    localStorage.clear();
    jest.useFakeTimers();
  });
  afterEach(() => jest.useRealTimers());

  it('of an earlier visit is fetched once the page stands, and no other', async () => {
    localStorage.setItem('dewpost.stage', 'plan');
    await open('/watch');
    await jest.advanceTimersByTimeAsync(2900);
    expect(fetched).toEqual(['watch']);
    await jest.advanceTimersByTimeAsync(200);
    expect(fetched).toEqual(['watch', 'plan']);
    expect(localStorage.getItem('dewpost.stage')).toBe('watch');
  });

  it('nothing is fetched ahead where there is none, nor for who comes in', async () => {
    const router = await open('/sign-in');
    await jest.advanceTimersByTimeAsync(5000);
    expect([fetched, localStorage.getItem('dewpost.stage')]).toEqual([['sign-in'], null]);
    await router.navigateByUrl('/respond');
    await jest.advanceTimersByTimeAsync(5000);
    expect(fetched).toEqual(['sign-in', 'respond']);
  });
});
