import type { Severity } from '@dewpost/contract';
import { afterRenderEffect, ChangeDetectionStrategy, Component, computed, ElementRef, inject } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { NavigationEnd, Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { filter, map, startWith } from 'rxjs';
import { selectCounts, selectOpen, worse } from '../data/selectors';
import { countDrafts } from '../parts/drafts';
import { SeverityGlyph } from '../parts/severity-glyph';

export const STAGES = ['plan', 'provision', 'calibrate', 'watch', 'respond', 'upkeep'] as const;
const WAITS = {
  plan: 'drafts',
  provision: 'nodes to write',
  calibrate: 'due',
  watch: 'points live',
  respond: 'alerts open',
  upkeep: 'due',
} as const;
const PITCH = 124;

/** The six stages as stops on one line, in working order, with the count of what waits there. */
@Component({
  selector: 'dp-stage-line',
  imports: [RouterLink, SeverityGlyph],
  template: `<nav class="stages" aria-label="Stages">
    <svg width="744" height="56" viewBox="0 0 744 56" aria-hidden="true">
      <path [attr.d]="ticks" stroke="var(--rule)" stroke-width="1" />
      @if (here() >= 0) {
        <path [attr.d]="'M' + (40 + here() * 124 - 7) + ' 40h14l-7 15.5Z'" fill="var(--spruce)" />
      }
    </svg>
    @for (stage of stages; track stage; let i = $index) {
      <a
        [routerLink]="'/' + stage"
        [class.here]="here() === i"
        [attr.aria-current]="here() === i ? 'page' : null"
        [style.left.px]="40 + i * 124"
      >
        {{ title(stage) }}
        @if (stage === 'respond' && worst(); as severity) {
          <dp-severity [of]="severity" />
        }
        <span class="count"
          >{{ stage === 'plan' ? drafts() : counts()[stage] }}<span class="out-of-sight"> {{ waits[stage] }}</span></span
        >
      </a>
    }
  </nav>`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class StageLine {
  private readonly router = inject(Router);
  private readonly store = inject(Store);
  protected readonly stages = STAGES;
  protected readonly waits = WAITS;
  protected readonly counts = this.store.selectSignal(selectCounts);
  private readonly open = this.store.selectSignal(selectOpen);
  protected readonly worst = computed(() => this.open().reduce<Severity | null>((worst, alert) => worse(worst, alert.severity), null));
  private readonly url = toSignal(
    this.router.events.pipe(
      filter((event) => event instanceof NavigationEnd),
      map((event) => event.urlAfterRedirects),
      startWith(this.router.url),
    ),
    { requireSync: true },
  );
  /** Counted anew at every step through the pages: what is kept in the browser tells nobody of a change. */
  protected readonly drafts = computed(() => (this.url() === '' ? 0 : countDrafts()));
  protected readonly here = computed(() => STAGES.findIndex((stage) => this.url().split('?')[0]?.split('/')[1] === stage));
  protected readonly ticks = Array.from({ length: 30 }, (_, k) => `M${40 + ((k - 2) * PITCH) / 5} 56v-${(k - 2) % 5 === 0 ? 9 : 4}`).join(
    '',
  );

  constructor() {
    const host = inject<ElementRef<HTMLElement>>(ElementRef);
    // On a phone the line is longer than the screen: the stage one is at stays in sight.
    afterRenderEffect(() => {
      this.here();
      host.nativeElement.querySelector('a.here')?.scrollIntoView({ block: 'nearest', inline: 'center' });
    });
  }

  protected title(stage: string): string {
    return stage.charAt(0).toUpperCase() + stage.slice(1);
  }
}
