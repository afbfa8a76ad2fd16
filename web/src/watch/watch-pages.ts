import { ChangeDetectionStrategy, Component } from '@angular/core';
import { SubPages } from '../parts/sub-pages';

const PAGES = [
  ['/watch', 'Dashboards'],
  ['/watch/points', 'Points', 'and below'],
  ['/watch/computed', 'Computed'],
  ['/watch/quality', 'Quality'],
  ['/watch/import', 'Import', 'and below'],
] as const;

/** The pages of Watch beside the dashboards. */
@Component({
  selector: 'dp-watch-pages',
  imports: [SubPages],
  template: `<dp-sub-pages label="Watch" [pages]="pages" />`,
  host: { style: 'display: contents' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class WatchPages {
  protected readonly pages = PAGES;
}
