import { energyOf } from '@dewpost/core/circuit';
import { formatNumber, formatSpan } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { steadyChance } from '../common/steady-chance';
import { lifetime } from './lifetime';
import { LONGEST_SECONDS } from './report-interval';
import { SheetDesk } from './sheet-desk';
import { SheetSun } from './sheet-sun';

const FILLS = ['var(--spruce)', 'var(--s7)', 'var(--rule)', 'var(--env)', 'var(--hair)', 'var(--ink-2)'];
const WIDTH = 560;

/** Where the charge goes, and how long the supply lasts. */
@Component({
  selector: 'dp-sheet-energy',
  imports: [MatButton, SheetSun],
  templateUrl: './sheet-energy.html',
  styleUrl: './sheet-energy.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SheetEnergy {
  protected readonly desk = inject(SheetDesk);
  protected readonly width = WIDTH;
  protected readonly life = lifetime;
  protected readonly energy = computed(() => energyOf(this.desk.draft(), this.desk.catalogue(), steadyChance()));
  protected readonly perDay = computed(() => (this.energy()?.averageMilliamps ?? 0) * 24);
  protected readonly bar = computed(() => {
    let x = 0;
    return (this.energy()?.shares ?? []).map((share, i) => {
      const part = { ...share, x, width: share.share * WIDTH, fill: FILLS[i % FILLS.length] ?? 'var(--rule)' };
      x += part.width;
      return part;
    });
  });
  protected readonly what = computed(() => {
    const role = this.energy()?.role;
    if (role === 'backup of mains') return 'it goes on with the mains gone';
    return role === 'charged by panel' ? 'it goes on without any sun' : 'the battery lasts';
  });
  /** What reporting less often would bring: computed, not promised. */
  protected readonly proposals = computed(() => {
    const [energy, draft] = [this.energy(), this.desk.draft()];
    if (!energy?.days) return [];
    const now = energy.days.likely;
    return [2, 4]
      .map((times) => Math.min(LONGEST_SECONDS, draft.reportSeconds * times))
      .filter((seconds, i, all) => seconds > draft.reportSeconds && all.indexOf(seconds) === i)
      .flatMap((reportSeconds) => {
        const then = energyOf({ ...draft, reportSeconds }, this.desk.catalogue(), steadyChance())?.days?.likely ?? now;
        return then > now * 1.1 ? [{ reportSeconds, text: `Report every ${formatSpan(reportSeconds)}`, life: lifetime(then) }] : [];
      });
  });
  protected number(value: number, decimals = 0): string {
    return formatNumber(value, decimals);
  }
}
