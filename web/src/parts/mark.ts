import { ChangeDetectionStrategy, Component } from '@angular/core';

/** The product's mark: a gauge staff and half a drop. */
@Component({
  selector: 'dp-mark',
  template: `<svg width="22" height="24" viewBox="0 0 22 24" aria-hidden="true">
    <path d="M7 1V23" stroke="var(--ink)" stroke-width="2" />
    <path d="M2 4H7M4 8H7M4 12H7M2 16H7M4 20H7" stroke="var(--ink)" stroke-width="1.4" />
    <path d="M8 5.2a6.6 6.6 0 0 1 0 13.2Z" fill="var(--spruce)" />
  </svg>`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Mark {}
