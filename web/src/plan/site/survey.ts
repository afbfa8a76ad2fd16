import { sitePlan } from '@dewpost/contract';
import type { Sample, Spot } from '@dewpost/core/site-plan';
import { formatDuration, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, effect, inject, resource, signal, untracked, viewChild } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Api, ApiError, messageOf } from '../../data/api';
import { allLatest, allPoints, placeFeature } from '../../data/reducers';
import { ChoiceField, type Choice } from '../../parts/choice-field';
import { MoreTools } from '../../parts/more-tools';
import { Clock } from '../../parts/clock';
import { tidy } from './plan-desk';
import { PlanDrawing } from './plan-drawing';
import type { Press } from './plan-drag';
import { PlanView } from './plan-view';
import { SpotTaker } from './spot-taker';

/** The survey walk: a node that reports its signal level is carried about, and a phone tells where it is. */
@Component({
  selector: 'dp-survey',
  imports: [ChoiceField, MatButton, MatButtonToggleModule, MoreTools, PlanDrawing, RouterLink],
  templateUrl: './survey.html',
  styles: `
    :host {
      overflow-y: auto;
    }
    .choose {
      display: flex;
      flex-wrap: wrap;
      gap: 8px 14px;
      padding: 8px 16px 4px 56px;
    }
    .choose dp-choice-field {
      width: 190px;
    }
    .level {
      display: flex;
      flex-wrap: wrap;
      align-items: baseline;
      gap: 4px 14px;
      padding: 4px 16px 8px 56px;
    }
    .level b {
      font-size: 20px;
    }
    dp-plan-drawing {
      flex: 1 0 340px;
      margin-left: 40px;
      border: solid var(--rule);
      border-width: 1px 0;
    }
    .spots {
      display: flex;
      flex-wrap: wrap;
      gap: 4px 18px;
      padding: 8px 16px 4px 56px;
    }
    .note {
      padding: 4px 16px 12px 56px;
      font-size: 12px;
    }
    @media (max-width: 899px) {
      .choose,
      .level,
      .spots,
      .note {
        padding-left: 16px;
      }
      dp-plan-drawing {
        margin-left: 0;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SurveyWalk {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly clock = inject(Clock);
  private readonly points = this.store.selectSignal(allPoints.selectAll);
  private readonly readings = this.store.selectSignal(allLatest.selectEntities);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly read = resource({ loader: () => this.api.call(sitePlan.read, {}) });
  protected readonly problem = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly picked = signal<number | null>(null);
  protected readonly station = signal<string | null>(null);
  protected readonly floorId = signal<string | null>(null);
  protected readonly view = new PlanView(
    () => {
      const floor = this.floor();
      return floor && this.read.hasValue() ? { plan: this.read.value().plan, floor: floor.id } : null;
    },
    2,
    { width: 360, height: 340 },
  );
  protected readonly walked = signal<readonly Sample[]>([]);
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  protected readonly saving = signal(false);
  protected readonly taker = new SpotTaker();
  private readonly drawing = viewChild(PlanDrawing);
  private spot: Spot | null = null;

  /** Points that tell the level of a node's own radio. */
  protected readonly meters = computed(() => this.points().filter((point) => point.unit === 'dBm'));
  protected readonly meterChoices = computed(() =>
    this.meters().map(({ id, node }): Choice<number | null> => ({ value: id, words: node })),
  );
  protected readonly stationChoices = computed(() =>
    (this.read.hasValue() ? this.read.value().plan.stations : []).map(({ id, name }): Choice<string | null> => ({
      value: id,
      words: name,
    })),
  );
  protected readonly pointId = computed(() => this.picked() ?? this.meters()[0]?.id ?? null);
  protected readonly stationId = computed(
    () => this.station() ?? (this.read.hasValue() ? (this.read.value().plan.stations[0]?.id ?? null) : null),
  );
  protected readonly floor = computed(() => {
    const floors = this.read.hasValue() ? this.read.value().plan.floors : [];
    return floors.find((one) => one.id === this.floorId()) ?? floors[0] ?? null;
  });
  /** The plan without its nodes: only where one walks matters here. */
  protected readonly shown = computed(() => {
    const { plan } = (this.read.hasValue() ? this.read.value() : undefined) ?? {};
    if (!plan) throw new Error('the plan was shown before it was read');
    return { ...plan, nodes: [] };
  });
  protected readonly latest = computed(() => this.readings()[this.pointId() ?? -1] ?? null);
  protected readonly age = computed(() => formatDuration(Math.max(0, this.clock.now() - (this.latest()?.at ?? 0))));
  protected readonly spots = computed((): Spot[] =>
    this.walked()
      .filter((one) => one.floor === this.floor()?.id)
      .map((one) => [one.x, one.y]),
  );

  constructor() {
    effect(() => {
      const latest = this.latest();
      if (!latest) return;
      untracked(() => {
        const level = this.taker.hear(latest.at, latest.value);
        const [spot, floor, station] = [this.spot, this.floor(), this.stationId()];
        if (level === null || !spot || !floor || station === null) return;
        this.walked.update((before) => [
          ...before,
          {
            floor: floor.id,
            x: tidy(spot[0]),
            y: tidy(spot[1]),
            heightMetres: 1.2,
            station,
            levelDbm: Math.round(level * 10) / 10,
            at: latest.at,
          },
        ]);
      });
    });
    effect(() => {
      if (this.floor()) untracked(() => this.view.fit());
    });
  }

  protected tap(press: Press): void {
    const drawing = this.drawing();
    if (drawing) drawing.mayPan = false;
    this.tapAt(press.spot);
  }
  protected tapAt(spot: Spot): void {
    this.spot = spot;
    this.taker.begin(Date.now());
  }
  protected takeBack(): void {
    this.walked.update((before) => before.slice(0, -1));
  }
  protected number(value: number, decimals = 0): string {
    return formatNumber(value, decimals);
  }

  /** Adds the walk to the plan as it stands; where someone saved meanwhile, to theirs. */
  protected async save(): Promise<void> {
    this.saving.set(true);
    try {
      for (let attempt = 0; ; attempt++) {
        const { version, plan } = await this.api.call(sitePlan.read, {});
        try {
          const samples = [...plan.samples, ...this.walked()].slice(-2000);
          await this.api.call(sitePlan.save, { body: { base: version, plan: { ...plan, samples } } });
          break;
        } catch (error) {
          if (!(error instanceof ApiError) || error.status !== 409 || attempt > 2) throw error;
        }
      }
      this.said.set({
        text: `${this.walked().length === 1 ? 'One level is' : `${this.walked().length} levels are`} kept. Fit the radio model on the site plan.`,
        bad: false,
      });
      this.walked.set([]);
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
    }
    this.saving.set(false);
  }
}
