import { ChangeDetectionStrategy, Component } from '@angular/core';
import { SubPages } from '../../parts/sub-pages';

/** The sub-pages of the plan. */
@Component({
  selector: 'dp-plan-pages',
  imports: [SubPages],
  template: `<dp-sub-pages label="Plan" [pages]="pages" />`,
  host: { style: 'grid-column: 1 / -1' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlanPages {
  protected readonly pages = [
    ['/plan/site', 'Site plan'],
    ['/plan', 'Build sheets'],
    ['/plan/addresses', 'Addresses and keys'],
    ['/plan/sums', 'Traffic and cost'],
    ['/plan/catalogue', 'Catalogue'],
    ['/plan/checks', 'Checks'],
  ] as const;
}
