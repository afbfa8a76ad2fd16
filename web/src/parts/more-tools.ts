import { ChangeDetectionStrategy, Component, ElementRef, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';

/** Page tools beside the first: in a row where there is room, behind one button on a phone. */
@Component({
  selector: 'dp-more-tools',
  imports: [MatButton],
  template: `
    <button matButton="outlined" class="more" type="button" [attr.aria-expanded]="open()" (click)="open.set(!open())">More</button>
    <div class="tools-panel" [class.open]="open()"><ng-content /></div>
  `,
  styles: `
    :host,
    .tools-panel {
      display: contents;
    }
    .more {
      display: none;
    }
    @media (max-width: 899px) {
      :host {
        display: block;
        position: relative;
      }
      .more {
        display: inline-flex;
      }
      .tools-panel {
        display: none;
      }
      .tools-panel.open {
        display: grid;
        gap: 6px;
        position: absolute;
        inset: calc(100% + 4px) 0 auto auto;
        z-index: 5;
        min-width: 180px;
        padding: 8px;
        background: var(--panel);
        border: 1px solid var(--rule);
        border-radius: var(--r);
        box-shadow: 0 10px 24px -14px rgb(28 43 42 / 42%);
      }
    }
  `,
  host: { '(document:click)': 'pressed($event)', '(keydown.escape)': 'open.set(false)' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class MoreTools {
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  protected readonly open = signal(false);
  /** A press anywhere but on the button itself closes what it opened: also one on a tool, which has done its work then. */
  protected pressed({ target }: Event): void {
    if (this.open() && target instanceof Element && target.closest('.more')?.parentElement !== this.host.nativeElement)
      this.open.set(false);
  }
}
