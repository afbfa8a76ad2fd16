import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink, RouterLinkActive, type IsActiveMatchOptions } from '@angular/router';

/** The sub-pages of a stage, as underlined words. */
@Component({
  selector: 'dp-sub-pages',
  imports: [RouterLink, RouterLinkActive],
  template: `<nav class="subs" [attr.aria-label]="label()">
    @for (page of pages(); track page[0]) {
      <a
        [routerLink]="page[0]"
        routerLinkActive="here"
        ariaCurrentWhenActive="page"
        [routerLinkActiveOptions]="page[2] === 'and below' ? below : exactly"
        >{{ page[1] }}</a
      >
    }
  </nav>`,
  host: { style: 'display: block; grid-column: 1 / -1' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SubPages {
  /** Whatever is asked of a page besides: it is the same page. */
  protected readonly exactly: IsActiveMatchOptions = {
    paths: 'exact',
    queryParams: 'ignored',
    fragment: 'ignored',
    matrixParams: 'ignored',
  };
  protected readonly below: IsActiveMatchOptions = { ...this.exactly, paths: 'subset' };
  readonly label = input.required<string>();
  readonly pages = input.required<readonly (readonly [string, string, 'and below'?])[]>();
}
