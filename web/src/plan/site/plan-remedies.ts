import { formatNumber } from '@dewpost/core/quantity';
import { surenessOf, type PlanLink, type Remedy } from '@dewpost/core/radio';
import type { Material, PlacedNode } from '@dewpost/core/site-plan';
import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { MatButton } from '@angular/material/button';

const LOW = -20;
const HIGH = 45;

/** One node's link in words, and what would mend it, each worked out on the plan. */
@Component({
  selector: 'dp-plan-remedies',
  imports: [MatButton],
  template: `<section class="fix" aria-live="polite">
    <h2 [class.wrong]="!link() || link()?.class === 'short'">{{ headline() }}</h2>
    @if (link(); as one) {
      <p>{{ story() }}</p>
      <p class="quiet">{{ limits() }}</p>
      @if (measured() !== null) {
        <p>
          Measured <b class="mono">{{ number(measured() ?? 0) }} dBm</b> when it started; predicted
          <b class="mono">{{ number(one.downDbm) }}</b> ± {{ number(one.errorDb) }} dB.
        </p>
      }
    } @else {
      <p>Place an access point, or send it through a gateway.</p>
    }
    @if (working()) {
      <p class="quiet">Working out what would help</p>
    }
    @for (remedy of remedies(); track remedy.title) {
      <div class="option">
        <div>
          <b>{{ remedy.title }}</b>
          <p class="quiet">{{ remedy.detail }}{{ remedy.price > 0 ? '; adds ' + number(remedy.price, 2) + ' to parts' : '' }}</p>
        </div>
        @if (canChange()) {
          <button [matButton]="remedy.enough ? 'filled' : 'outlined'" class="small" type="button" (click)="tried.emit(remedy)">
            Try on plan<span class="out-of-sight">: {{ remedy.title }}</span>
          </button>
        }
        <svg width="100%" height="30" viewBox="0 0 360 30" preserveAspectRatio="none" role="img" [attr.aria-label]="beforeAfter(remedy)">
          <rect [attr.x]="at(0)" y="9" [attr.width]="at(10) - at(0)" height="6" fill="var(--z1)" stroke="var(--rule)" />
          <rect x="8" y="5" [attr.width]="at(0) - 8" height="10" fill="var(--z2)" stroke="var(--rule)" />
          <path d="M8 15H352" stroke="var(--ink-2)" stroke-width="1.2" />
          @for (tick of ticks; track tick) {
            <path [attr.d]="'M' + at(tick) + ' 15v5'" stroke="var(--ink-2)" />
            <text [attr.x]="at(tick)" y="28" text-anchor="middle" class="figure">{{ tick }}</text>
          }
          <path [attr.d]="notch(remedy.marginBeforeDb)" fill="var(--panel)" stroke="var(--ink-2)" stroke-dasharray="2.4 1.8" />
          <path [attr.d]="notch(remedy.marginAfterDb)" fill="var(--ink)" />
        </svg>
      </div>
    } @empty {
      @if (!working() && link() && link()?.class !== 'ample' && link()?.class !== 'sound') {
        <p class="quiet">Nothing within reach helps by more than half a decibel.</p>
      }
    }
  </section>`,
  styles: `
    .fix {
      padding: 10px 14px 16px 16px;
      display: grid;
      gap: 6px;
    }
    .wrong {
      color: var(--rust);
    }
    .option {
      display: grid;
      grid-template-columns: minmax(0, 1fr) auto;
      gap: 2px 12px;
      align-items: start;
      padding-top: 8px;
      border-top: 1px solid var(--hair);
    }
    .option p {
      font-size: 12px;
    }
    svg {
      grid-column: 1 / 3;
      max-width: 400px;
    }
    .figure {
      font: 400 10px var(--mono);
      font-stretch: 76%;
      fill: var(--ink-2);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlanRemedies {
  readonly node = input.required<PlacedNode>();
  readonly link = input<PlanLink | null>(null);
  readonly materials = input<readonly Material[]>([]);
  readonly planningFloorDbm = input(-75);
  readonly remedies = input<readonly Remedy[]>([]);
  readonly working = input(false);
  readonly measured = input<number | null>(null);
  readonly canChange = input(false);
  readonly tried = output<Remedy>();
  protected readonly ticks = [-20, -10, 0, 10, 20, 30, 40];

  protected readonly headline = computed(() => {
    const link = this.link();
    if (!link) return `${this.node().node} reaches no station`;
    if (link.class === 'short') return `${this.node().node} is ${this.number(-link.marginDb)} dB short`;
    return `${this.node().node}, ${this.number(link.marginDb)} dB ${link.class}`;
  });
  protected readonly story = computed(() => {
    const link = this.link();
    if (!link) return '';
    const walls = link.path.crossed.flatMap((count, i) =>
      count > 0 ? [`${count} ${(this.materials()[i]?.name ?? 'wall').split(',')[0]?.toLowerCase()}`] : [],
    );
    if (link.path.slabs > 0) walls.push(`${link.path.slabs} floor${link.path.slabs > 1 ? 's' : ''}`);
    const through = walls.length === 0 ? 'in the open' : `through ${walls.join(', ')}`;
    return `To ${link.station.name}: ${this.number(link.path.metres, 1)} m ${through}. It hears ${this.number(link.downDbm)} dBm and is heard at ${this.number(link.upDbm)}; ${this.number(this.planningFloorDbm())} are wanted. ${surenessOf(link)}`;
  });
  protected readonly limits = computed(() => {
    const link = this.link();
    if (!link) return '';
    const over = [
      ['the node', link.nodeRadiatedDbm],
      [link.station.name, link.stationRadiatedDbm],
    ].filter(([, dbm]) => (dbm as number) > link.limitDbm + 0.05);
    const cables = `Cables take ${this.number(link.cableDb, 1)} dB.`;
    if (over.length === 0)
      return `${cables} Radiated ${this.number(link.nodeRadiatedDbm)} and ${this.number(link.stationRadiatedDbm)} dBm of ${this.number(link.limitDbm)} allowed.`;
    return `${cables} ${over.map(([who, dbm]) => `Turn ${who} down by ${this.number((dbm as number) - link.limitDbm)} dB: it would radiate ${this.number(dbm as number)} of ${this.number(link.limitDbm)} dBm allowed here`).join('; ')}. Check the local rules.`;
  });

  protected number(value: number, decimals = 0): string {
    return formatNumber(value, decimals);
  }
  protected at(margin: number): number {
    return 8 + ((Math.max(LOW, Math.min(HIGH, margin)) - LOW) / (HIGH - LOW)) * 344;
  }
  protected notch(margin: number): string {
    const x = this.at(margin);
    return `M${x - 5} 1H${x + 5}L${x} 15Z`;
  }
  protected beforeAfter(remedy: Remedy): string {
    return `margin ${this.number(remedy.marginBeforeDb)} dB before, ${this.number(remedy.marginAfterDb)} dB after`;
  }
}
