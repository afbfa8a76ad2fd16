import { inject, Injectable } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { NavigationEnd, Router, type PreloadingStrategy, type Route } from '@angular/router';
import { EMPTY, filter, switchMap, timer, type Observable } from 'rxjs';

const KEPT_AS = 'dewpost.stage';
/** What a page is made of comes first: what may be wanted next waits so long, ms. */
const AFTER_MS = 3000;

/** No stages: where people come in. */
const DOORS: ReadonlySet<string> = new Set(['', 's', 'sign-in']);

const stageOf = (url: string): string => url.split(/[/?#]/)[1] ?? '';

/** The stage that was used before this one, in this browser, is fetched ahead: whoever goes back to it does not wait. */
@Injectable({ providedIn: 'root' })
export class LastStage implements PreloadingStrategy {
  private here = '';
  private before = localStorage.getItem(KEPT_AS) ?? '';

  constructor() {
    inject(Router)
      .events.pipe(
        filter((event) => event instanceof NavigationEnd),
        takeUntilDestroyed(),
      )
      .subscribe(({ urlAfterRedirects }) => this.enter(stageOf(urlAfterRedirects)));
  }

  preload(route: Route, load: () => Observable<unknown>): Observable<unknown> {
    const isWanted = route.path !== '' && route.path === this.before && this.before !== this.here;
    return isWanted ? timer(AFTER_MS).pipe(switchMap(load)) : EMPTY;
  }

  private enter(stage: string): void {
    if (stage === this.here || DOORS.has(stage)) return;
    if (this.here !== '') this.before = this.here;
    this.here = stage;
    localStorage.setItem(KEPT_AS, stage);
  }
}
