import type { Point, Threshold } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input, model } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { nodeNames } from '../../data/node-names';
import { allNodes, allPoints, allThresholds } from '../../data/reducers';
import { limitWords } from './rule-words';

/** Do two rules say the same of their points? */
export function saysTheSame(a: Threshold, b: Threshold): boolean {
  const said = ({ side, setpoint, deadband, onDelaySeconds, offDelaySeconds, severity, judges, output }: Threshold): string =>
    JSON.stringify([side, setpoint, deadband, onDelaySeconds, offDelaySeconds, severity, judges, output]);
  return said(a) === said(b);
}

/** One rule for points alike: on which others it is armed as well, or changed along; who of them is an exception. */
@Component({
  selector: 'dp-rule-alike',
  imports: [MatButton, MatFormFieldModule, MatSelectModule],
  template: `
    @if (choices().length > 0) {
      <mat-form-field>
        <mat-label>{{ before() ? 'Changed along' : 'The same on' }}</mat-label>
        <mat-select multiple id="t-alike" [value]="chosen()" (selectionChange)="chosen.set($event.value)" placeholder="no other">
          @for (each of choices(); track each.id) {
            <mat-option [value]="each.id">{{ each.words }}</mat-option>
          }
        </mat-select>
        <mat-hint>{{ hint() }}</mat-hint>
      </mat-form-field>
      <p class="do">
        @for (group of groups(); track group.words) {
          <button matButton="outlined" class="small" type="button" (click)="chosen.set(group.ids)">{{ group.words }}</button>
        }
      </p>
    }
    @if (exceptions(); as words) {
      <p class="quiet">{{ words }}</p>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 4px;
    }
    mat-form-field {
      width: 100%;
    }
    .do {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
      margin: 4px 0 0;
    }
    p {
      margin: 0;
      overflow-wrap: anywhere;
    }
  `,
  // A part of its dialog, where there is anything to choose.
  host: { '[class.part]': 'choices().length > 0' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RuleAlike {
  private readonly store = inject(Store);
  private readonly points = this.store.selectSignal(allPoints.selectAll);
  private readonly nodes = this.store.selectSignal(allNodes.selectEntities);
  private readonly thresholds = this.store.selectSignal(allThresholds.selectAll);
  private readonly nameOf = nodeNames();
  readonly point = input.required<Point>();
  /** `null`: a new rule. */
  readonly before = input.required<Threshold | null>();
  /** Points of a new rule; rules that are changed along. */
  readonly chosen = model.required<readonly number[]>();

  /** Points that measure the same in the same unit. */
  private readonly alike = computed(() => {
    const { id, name, unit, kind } = this.point();
    return this.points().filter((one) => one.id !== id && one.name === name && one.unit === unit && one.kind === kind);
  });
  /** Of each of them the rule that says what this one said; `null`: it has none such. */
  private readonly twins = computed(() => {
    const before = this.before();
    return this.alike().map((point) => ({
      point,
      rule: before && (this.thresholds().find((one) => one.point === point.id && saysTheSame(one, before)) ?? null),
    }));
  });
  protected readonly choices = computed(() =>
    this.twins().flatMap(({ point, rule }) => {
      const words = `${this.nameOf(point.node)}: ${point.label}`;
      if (this.before() === null) return [{ id: point.id, node: point.node, words }];
      return rule ? [{ id: rule.id, node: point.node, words }] : [];
    }),
  );
  protected readonly groups = computed(() => {
    const own = this.nodes()[this.point().node];
    const those = (is: (node: string) => boolean): number[] => this.choices().flatMap(({ id, node }) => (is(node) ? [id] : []));
    const all = [
      { words: 'all in its room', ids: those((node) => this.nodes()[node]?.room === own?.room) },
      { words: 'all of its sheet', ids: those((node) => this.nodes()[node]?.sheet === own?.sheet) },
      { words: 'all alike', ids: those(() => true) },
    ];
    return all.filter(({ ids }) => ids.length > 0);
  });
  protected readonly hint = computed(() =>
    this.before() ? 'Others that said the same until now; each gets a new version.' : 'Each is a rule of its own from then on.',
  );
  /** Alike, and another rule or none. */
  protected readonly exceptions = computed(() => {
    if (this.before() === null || this.choices().length === 0) return '';
    const words = this.twins()
      .filter(({ rule }) => rule === null)
      .map(({ point }) => {
        const own = this.thresholds().find((one) => one.point === point.id);
        return `${this.nameOf(point.node)} (${own ? limitWords(own, point.calibratesTo) : 'none'})`;
      });
    return words.length > 0 ? `Exceptions: ${words.join(', ')}.` : '';
  });
}
