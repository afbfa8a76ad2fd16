import { ChangeDetectionStrategy, Component } from '@angular/core';
import { SubPages } from '../parts/sub-pages';

/** The sub-pages of provisioning. */
@Component({
  selector: 'dp-provision-pages',
  imports: [SubPages],
  template: `<dp-sub-pages label="Provision" [pages]="pages" />`,
  host: { style: 'grid-column: 1 / -1' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ProvisionPages {
  protected readonly pages = [
    ['/provision', 'Bench'],
    ['/provision/listen', 'Listen'],
    ['/provision/adopted', 'Adopted'],
    ['/provision/sources', 'Sources'],
    ['/provision/forward', 'Forwarding'],
    ['/provision/fit', 'Fit'],
    ['/provision/firmware', 'Firmware'],
    ['/provision/rollouts', 'Rollouts'],
    ['/provision/configurations', 'Configurations'],
    ['/provision/labels', 'Labels'],
    ['/provision/ledger', 'Ledger'],
  ] as const;
}
