import { ChangeDetectionStrategy, Component } from '@angular/core';

@Component({
  selector: 'dp-calibrate',
  template: `<header class="page-head">
      <div class="title">
        <h1>Calibrate</h1>
        <small>nothing is due</small>
      </div>
    </header>
    <div class="first-run">
      <p class="lead">
        Here sensors will be fitted to a reference, with their uncertainty. This version stores every value raw, so that it can be
        calibrated later.
      </p>
    </div>`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Calibrate {}
