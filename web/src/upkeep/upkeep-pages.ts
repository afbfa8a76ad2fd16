import { ChangeDetectionStrategy, Component } from '@angular/core';
import { SubPages } from '../parts/sub-pages';

const PAGES = [
  ['/upkeep', 'Nodes'],
  ['/upkeep/site/kept', 'What is kept'],
] as const;

/** The pages of Upkeep. */
@Component({
  selector: 'dp-upkeep-pages',
  imports: [SubPages],
  template: `<dp-sub-pages label="Upkeep" [pages]="pages" />`,
  host: { style: 'display: contents' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class UpkeepPages {
  protected readonly pages = PAGES;
}
