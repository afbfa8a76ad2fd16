import { ChangeDetectionStrategy, Component } from '@angular/core';
import { RouterLink, RouterLinkActive } from '@angular/router';

/** The sub-pages of the plan. */
@Component({
  selector: 'dp-plan-pages',
  imports: [RouterLink, RouterLinkActive],
  template: `<nav class="subs" aria-label="Plan">
    <a routerLink="/plan/site" routerLinkActive="here" ariaCurrentWhenActive="page">Site plan</a>
    <a routerLink="/plan" routerLinkActive="here" ariaCurrentWhenActive="page" [routerLinkActiveOptions]="{ exact: true }">Build sheets</a>
    <a routerLink="/plan/addresses" routerLinkActive="here" ariaCurrentWhenActive="page">Addresses and keys</a>
    <a routerLink="/plan/sums" routerLinkActive="here" ariaCurrentWhenActive="page">Traffic and cost</a>
    <a routerLink="/plan/catalogue" routerLinkActive="here" ariaCurrentWhenActive="page">Catalogue</a>
    <a routerLink="/plan/checks" routerLinkActive="here" ariaCurrentWhenActive="page">Checks</a>
  </nav>`,
  styles: ':host { grid-column: 1 / 3; }',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlanPages {}
