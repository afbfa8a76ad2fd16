import { ChangeDetectionStrategy, Component } from '@angular/core';
import { SubPages } from '../parts/sub-pages';

@Component({
  selector: 'dp-respond-pages',
  imports: [SubPages],
  template: `<dp-sub-pages label="Respond" [pages]="pages" />`,
  host: { style: 'grid-column: 1 / -1' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RespondPages {
  protected readonly pages = [
    ['/respond', 'Alerts'],
    ['/respond/thresholds', 'Thresholds'],
    ['/respond/relays', 'Relays'],
    ['/respond/notices', 'Notices'],
    ['/respond/counts', 'Counts'],
    ['/respond/routes', 'Routes'],
    ['/respond/ways', 'Ways'],
    ['/respond/trip-tests', 'Trip tests'],
    ['/respond/drills', 'Drills'],
  ] as const;
}
