import { ChangeDetectionStrategy, Component } from '@angular/core';
import { RouterLink, RouterLinkActive } from '@angular/router';

@Component({
  selector: 'dp-respond-pages',
  imports: [RouterLink, RouterLinkActive],
  template: `<nav class="subs" aria-label="Respond">
    @for (page of pages; track page[0]) {
      <a [routerLink]="page[0]" routerLinkActive="here" ariaCurrentWhenActive="page" [routerLinkActiveOptions]="{ exact: true }">{{
        page[1]
      }}</a>
    }
  </nav>`,
  host: { style: 'display: contents' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RespondPages {
  protected readonly pages = [
    ['/respond', 'Alerts'],
    ['/respond/thresholds', 'Thresholds'],
    ['/respond/relays', 'Relays'],
  ] as const;
}
