import { ChangeDetectionStrategy, Component } from '@angular/core';

/** The hatch patterns that strips and bars refer to; put once on a page. */
@Component({
  selector: 'dp-hatches',
  template: `<svg width="0" height="0" style="position:absolute" aria-hidden="true">
    <defs>
      @for (hatch of hatches; track hatch[0]) {
        <pattern [attr.id]="'hatch-' + hatch[0]" width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <path d="M0 0V4" [attr.stroke]="'var(' + hatch[1] + ')'" stroke-width="1.5" />
        </pattern>
      }
    </defs>
  </svg>`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Hatches {
  protected readonly hatches = [
    ['0', '--rule'],
    ['1', '--ochre'],
    ['2', '--rust'],
    ['3', '--carmine'],
    ['light', '--hair'],
  ] as const;
}
