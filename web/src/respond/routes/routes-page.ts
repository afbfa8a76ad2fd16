import { respond, routes, routesViewSchema, type RoutesView, type Way } from '@dewpost/contract';
import { SEVERITIES, type Severity, type Target } from '@dewpost/core/alarm';
import { minuteOfDay, timeOfMinute } from '@dewpost/core/time';
import { ChangeDetectionStrategy, Component, computed, effect, inject, resource, signal, untracked } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { DateTime } from 'luxon';
import { Api, ApiError, messageOf } from '../../data/api';
import { placeFeature } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { NumberField } from '../../parts/number-field';
import { SeverityGlyph } from '../../parts/severity-glyph';
import { askBeforeClosing, type HoldsUnsaved } from '../../parts/unsaved';
import { addItem, bodyOf, draftOf, placeProblem, saying, setItems, zodForm } from '../../parts/zod-forms';
import { RespondPages } from '../sub-pages';
import { draftOfPlan, NO_PLAN, planFindings, planForm, planOfDraft, type CourseDraft } from './route-form';
import { RouteStairs } from './route-stairs';

/** How much later another course comes than the one before it, minutes. */
const LATER = 10;
/** When it matters most who wakes: ten past three, as a minute of the day. */
const TONIGHT = 190;

/** Who is told of alerts, and who next while nobody acknowledges; and what would happen if one tripped tonight. */
@Component({
  selector: 'dp-routes-page',
  imports: [
    MatButton,
    MatFormFieldModule,
    MatInput,
    MatSelectModule,
    NumberField,
    ReactiveFormsModule,
    RespondPages,
    RouteStairs,
    SeverityGlyph,
  ],
  templateUrl: './routes-page.html',
  styleUrl: './routes-page.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RoutesPage implements HoldsUnsaved {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly zone = this.store.selectSignal(selectTimezone);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  private readonly read = resource({ loader: () => this.api.call(routes.read, {}) });
  private readonly ways = resource({
    params: () => (this.maker() ? true : undefined),
    loader: () => this.api.call(respond.ways, {}),
  });
  private readonly laid = signal<RoutesView | null>(null);
  private readonly allWays = computed((): readonly Way[] => (this.ways.hasValue() ? this.ways.value() : []));
  /** Whom a message reaches without a link out of the house. */
  private readonly inside = computed(
    () =>
      new Set<Target>([
        ...(this.laid()?.handset ? (['handset'] as const) : []),
        ...this.allWays().flatMap(({ id, kind }) => (kind === 'node' ? [id] : [])),
      ]),
  );
  protected readonly known = computed(() => this.laid());
  protected readonly problem = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  protected readonly beaten = signal<RoutesView | null>(null);
  protected readonly busy = signal(false);
  protected readonly form = zodForm(planForm, NO_PLAN, { check: (draft) => planFindings(draft, this.inside()) });
  protected readonly saidOf = saying(this.form);
  private readonly draft = draftOf(this.form);
  /** The gravest first. */
  protected readonly severities = [...SEVERITIES].reverse();
  protected readonly quietWays = [
    ['tell', 'told in quiet hours too'],
    ['keep', 'kept until quiet hours end'],
  ] as const;
  protected readonly newsKinds = [
    ['restarted', 'a node has started anew'],
    ['mains', 'a node’s mains are back'],
  ] as const;
  protected readonly floodWays = [
    ['sum', 'the first, then one message a minute'],
    ['each', 'each by itself'],
  ] as const;
  protected readonly clearWays = [
    ['always', 'told when it is over'],
    ['by day', 'told when it is over, but for quiet hours'],
    ['never', 'not told when it is over'],
  ] as const;
  protected readonly targets = computed((): { id: Target; name: string }[] => {
    return [
      ...(this.laid()?.handset ? [{ id: 'handset' as const, name: 'handset in the building' }] : []),
      ...this.allWays().map(({ id, name, kind }) => ({ id, name: `${name}, ${kind}` })),
    ];
  });
  protected readonly whoOf = computed(() => {
    const names = new Map(this.targets().map(({ id, name }) => [id, name]));
    return (to: readonly Target[]): string =>
      to.map((target) => names.get(target) ?? (target === 'handset' ? 'the handset' : `way ${target}`)).join(' and ') || 'nobody';
  });
  /** Laid, or as it is typed where that can be. */
  protected readonly plan = computed(() => planOfDraft(this.draft()) ?? this.laid()?.plan ?? null);
  protected readonly when = signal(timeOfMinute(TONIGHT));
  private readonly minute = computed(() => minuteOfDay(this.when()) ?? TONIGHT);
  protected readonly tripTime = computed(() => timeOfMinute(this.minute()));
  protected readonly trippedAt = computed(() => {
    const minute = this.minute();
    const now = DateTime.now().setZone(this.zone());
    const today = now.startOf('day').set({ hour: Math.floor(minute / 60), minute: minute % 60 });
    return (today < now ? today.plus({ days: 1 }) : today).toMillis();
  });

  constructor() {
    askBeforeClosing(() => this.unsaved());
    effect(() => {
      const view = this.read.hasValue() ? this.read.value() : null;
      if (view) untracked(() => this.fill(view));
    });
  }

  unsaved(): string | null {
    return this.form.dirty ? 'What you changed of the routes' : null;
  }

  protected fill(view: RoutesView): void {
    this.laid.set(view);
    this.beaten.set(null);
    const draft = draftOfPlan(view.plan);
    for (const severity of SEVERITIES) setItems(this.form.controls[severity].controls.courses, draft[severity].courses);
    this.form.reset(draft);
  }
  protected add(severity: Severity): void {
    const list = this.form.controls[severity].controls.courses;
    const last = list.at(-1)?.getRawValue();
    const fresh: CourseDraft = { afterMinutes: last ? Number(last.afterMinutes ?? 0) + LATER : 0, to: [], everyMinutes: null };
    addItem(list, fresh);
    this.form.markAsDirty();
  }
  protected drop(severity: Severity, index: number): void {
    this.form.controls[severity].controls.courses.removeAt(index);
    this.form.markAsDirty();
  }
  protected async keep(over = false): Promise<void> {
    const known = this.beaten() ?? this.laid();
    const plan = bodyOf(this.form, planForm) && planOfDraft(this.draft());
    if (!known || !plan) {
      this.said.set({ text: 'Not kept: see the fields.', bad: true });
      return;
    }
    this.busy.set(true);
    try {
      const from = over ? known.version : (this.laid()?.version ?? 0);
      this.fill(await this.api.call(routes.write, { body: { from, plan } }));
      this.said.set({ text: 'These routes hold from now on, for what is open too.', bad: false });
    } catch (error) {
      const theirs = error instanceof ApiError && error.status === 409 ? routesViewSchema.safeParse(error.current) : null;
      if (theirs?.success) this.beaten.set(theirs.data);
      this.said.set({ text: placeProblem(this.form, error) ?? 'Not kept: see the fields.', bad: true });
    }
    this.busy.set(false);
  }
}
