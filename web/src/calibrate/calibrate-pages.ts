import { ChangeDetectionStrategy, Component } from '@angular/core';
import { SubPages } from '../parts/sub-pages';

const PAGES = [
  ['/calibrate', 'One point'],
  ['/calibrate/side-by-side', 'Side by side'],
  ['/calibrate/records', 'Records'],
  ['/calibrate/references', 'References'],
] as const;

/** The pages of Calibrate. */
@Component({
  selector: 'dp-calibrate-pages',
  imports: [SubPages],
  template: `<dp-sub-pages label="Calibrate" [pages]="pages" />`,
  host: { style: 'display: contents' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class CalibratePages {
  protected readonly pages = PAGES;
}
