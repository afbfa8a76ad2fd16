import { sitePlan } from '@dewpost/contract';
import { sunOf, usualSun, type SheetDraft } from '@dewpost/core/circuit';
import { formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { Api } from '../../data/api';
import { ValueField } from '../../parts/value-field';
import { steadyChance } from '../common/steady-chance';
import { lifetime } from './lifetime';
import { SheetDesk } from './sheet-desk';

type Sun = NonNullable<SheetDraft['sun']>;
const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
/** Degrees north of a site whose plan is not drawn yet. */
const LATITUDE = 52;

/** A panel's year: how full the battery stays through the worst of thirty, and which panel would do. */
@Component({
  selector: 'dp-sheet-sun',
  imports: [MatButton, ValueField],
  templateUrl: './sheet-sun.html',
  styles: `
    .panel,
    .months {
      display: grid;
      grid-template-columns: repeat(4, minmax(0, 1fr));
      gap: 12px 8px;
      padding: 12px 0 8px;
    }
    .months {
      grid-template-columns: repeat(6, minmax(0, 1fr));
    }
    h3 {
      font-size: 12px;
      font-weight: 400;
      color: var(--ink-2);
      padding-top: 4px;
    }
    .wrong {
      color: var(--carmine);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SheetSun {
  private readonly api = inject(Api);
  protected readonly desk = inject(SheetDesk);
  protected readonly months = MONTHS;
  protected readonly life = lifetime;
  protected readonly sun = computed(() => sunOf(this.desk.draft(), this.desk.catalogue(), steadyChance()));
  protected readonly path = computed(() => {
    const daily = this.sun()?.worst.daily ?? [];
    return `M0 44${daily.map((charge, i) => `L${i} ${(43.5 - charge * 43).toFixed(1)}`).join('')}L${Math.max(0, daily.length - 1)} 44Z`;
  });
  protected readonly flat = computed(() => {
    const hours = this.sun()?.worst.hoursFlat ?? 0;
    if (hours <= 0) return '';
    return `, and is flat for ${hours === 1 ? '1 hour' : `${hours} hours`}`;
  });
  protected readonly smallest = computed(() => {
    const smallest = this.sun()?.smallest ?? null;
    if (smallest === null) return 'No panel up to 200 W is enough.';
    return `The smallest as sold that holds in ${this.percent(smallest.holds)} of the years has ${formatNumber(smallest.watts)} W.`;
  });

  protected percent(share: number): string {
    return `${formatNumber(share * 100)} %`;
  }
  /** A share as a whole percentage. */
  protected share(value: number | undefined): number {
    return Math.round((value ?? 0) * 100);
  }
  /** Takes the latitude from the site plan, where it is drawn. */
  protected async begin(): Promise<void> {
    const latitude = await this.api.call(sitePlan.read, {}).then(
      (read) => (read.version === 0 ? LATITUDE : read.plan.anchor.latitude),
      () => LATITUDE,
    );
    this.desk.change({ sun: usualSun(latitude, this.desk.supply()?.panel?.watts ?? 3) });
  }
  protected set(part: Partial<Sun>): void {
    const sun = this.desk.draft().sun;
    if (sun) this.desk.change({ sun: { ...sun, ...part } });
  }
  protected setMonth(of: 'sunshine' | 'frost', month: number, percent: number): void {
    const sun = this.desk.draft().sun;
    if (sun) this.set({ [of]: sun[of].map((share, i) => (i === month ? percent / 100 : share)) });
  }
}
