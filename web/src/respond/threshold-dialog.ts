import { respond, thresholdSchema, type Point, type Threshold } from '@dewpost/contract';
import { SEVERITIES } from '@dewpost/core/alarm';
import { eachOnce } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, signal } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatAutocompleteModule } from '@angular/material/autocomplete';
import { MatButton } from '@angular/material/button';
import { MatButtonToggle, MatButtonToggleGroup } from '@angular/material/button-toggle';
import { MatCheckbox } from '@angular/material/checkbox';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef, type MatDialog } from '@angular/material/dialog';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatIcon } from '@angular/material/icon';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { TriangleAlert, X } from 'lucide';
import { Api, ApiError } from '../data/api';
import { allLatest, allNodes, allPoints, allThresholds } from '../data/reducers';
import { actsAt, selectTimezone } from '../data/selectors';
import { nodeNames } from '../data/node-names';
import { ChangedMeanwhile } from '../parts/changed-meanwhile';
import { hasWords } from '../parts/has-words';
import { useIcons } from '../parts/icons';
import { TypedNumberField } from '../parts/typed-number-field';
import { ReadingStrip } from '../parts/reading-strip';
import { problemsIn, saidAbout } from '../parts/said';
import { bodyOf, draftOf, placeProblem, toFirstProblem, zodForm } from '../parts/zod-forms';
import { Selection } from '../shell/selection';
import { followsAlone } from './alone';
import { RecordPanel } from './record/record-panel';
import type { Suggestion } from './record/suggestions';
import { ResponsePanel } from './response/response-panel';
import { DrawnRule } from './rule/drawn-rule';
import { JudgedDraft } from './rule/judged-draft';
import { RuleAlso, RuleJudges } from './rule/rule-judges';
import { beginsOnItsSide } from './rule/begins-on-its-side';
import { rehearsedOutputs } from './rule/rehearsed-output';
import { RuleAlike } from './rule/rule-alike';
import { RuleSays } from './rule/rule-says';
import { RuleShare } from './rule/rule-share';
import { RuleThen } from './rule/rule-then';
import { RuleVersions } from './rule/rule-versions';
import { RuleWhen } from './rule/rule-when';
import { usualOf } from './rule/usual';
import { WhatFollows } from './rule/what-follows';
import { rulesApart } from './rule/rules-apart';

/** Sets a threshold, new or another version of one; the staff shows it on the real value while it is drawn. */
export function openThresholdDialog(dialogs: MatDialog, threshold: Threshold | null): void {
  dialogs.open<ThresholdDialog, Threshold | null>(ThresholdDialog, {
    data: threshold,
    width: '720px',
    maxWidth: '96vw',
    backdropClass: 'scrim',
    // Not the point: an autocomplete opens its list when it is focused.
    autoFocus: '#t-setpoint',
  });
}

const SHOWN = 60;
/** What the form holds; what follows from a trip is asked beside it. */
const bodySchema = respond.addThreshold.body.omit({
  tells: true,
  consequences: true,
  act: true,
  words: true,
  route: true,
  expects: true,
  hours: true,
  unless: true,
  judges: true,
  also: true,
  latching: true,
  then: true,
  proportional: true,
  others: true,
});

@Component({
  selector: 'dp-threshold-dialog',
  imports: [
    ChangedMeanwhile,
    MatAutocompleteModule,
    MatButton,
    MatButtonToggle,
    MatButtonToggleGroup,
    MatCheckbox,
    MatDialogModule,
    MatFormFieldModule,
    MatIcon,
    MatInput,
    MatSelectModule,
    TypedNumberField,
    ReactiveFormsModule,
    ReadingStrip,
    RecordPanel,
    ResponsePanel,
    RuleAlike,
    RuleAlso,
    RuleJudges,
    RuleSays,
    RuleShare,
    RuleThen,
    RuleVersions,
    RuleWhen,
  ],
  templateUrl: './threshold-dialog.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ThresholdDialog {
  protected readonly nodeName = nodeNames();
  protected readonly before = inject<Threshold | null>(MAT_DIALOG_DATA);
  private readonly ref = inject<MatDialogRef<ThresholdDialog>>(MatDialogRef);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly selection = inject(Selection);
  private readonly points = this.store.selectSignal(allPoints.selectAll);
  private readonly nodes = this.store.selectSignal(allNodes.selectEntities);
  private readonly latest = this.store.selectSignal(allLatest.selectEntities);
  private readonly thresholds = this.store.selectSignal(allThresholds.selectAll);
  protected readonly choices = computed(() =>
    this.points()
      .filter((point) => point.kind !== 'switched')
      .sort((a, b) => a.node.localeCompare(b.node) || a.id - b.id),
  );
  protected readonly outputs = computed(() =>
    this.points()
      .filter((point) => point.kind === 'switched')
      .sort((a, b) => a.node.localeCompare(b.node)),
  );
  private readonly first = computed(
    () =>
      this.choices().find((point) => this.selection.nodes().has(point.node) && point.name === 'humidity') ??
      this.choices().find((point) => this.selection.nodes().has(point.node)) ??
      this.choices()[0],
  );

  protected readonly form = zodForm(bodySchema, {
    point: this.before?.point ?? this.first()?.id ?? null,
    side: this.before?.side ?? 'low',
    setpoint: this.before?.setpoint ?? null,
    deadband: this.before?.deadband ?? null,
    onDelaySeconds: this.before?.onDelaySeconds ?? 60,
    offDelaySeconds: this.before?.offDelaySeconds ?? 60,
    severity: this.before?.severity ?? 'advisory',
    output: this.before?.output ?? null,
  });
  protected readonly draft = draftOf(this.form);
  protected readonly what = new WhatFollows(this.before);
  protected readonly hoursFault = signal<string | null>(null);
  protected readonly zone = this.store.selectSignal(selectTimezone);
  protected readonly follows = computed(() => this.what.words(this.draft().output !== null));
  protected readonly said = saidAbout;
  protected readonly wanted = signal('');
  /** By node, those that hold the words typed; sixty at most. */
  protected readonly groups = computed(() => {
    const wanted = hasWords(this.wanted());
    const found = this.choices().filter((point) => wanted(this.nameOf(point)));
    return {
      more: Math.max(0, found.length - SHOWN),
      nodes: [...Map.groupBy(found.slice(0, SHOWN), (point) => point.node)].map(([node, points]) => ({ node, points })),
    };
  });
  protected readonly point = computed(() => this.choices().find((point) => point.id === this.draft().point) ?? null);
  protected readonly judged = new JudgedDraft(this.before, this.point);
  protected readonly reading = computed(() => this.latest()[this.draft().point ?? 0] ?? null);
  protected readonly busy = signal(false);
  /** Why there is another version, for whoever asks later. */
  protected readonly why = signal('');
  /** Points that get the same rule, or rules that are changed along. */
  protected readonly others = signal<readonly number[]>([]);
  protected readonly problem = signal<string | null>(null);
  protected readonly severities = SEVERITIES;
  protected readonly switched = computed(() => this.outputs().find((point) => point.id === this.draft().output) ?? null);
  protected readonly rule = new DrawnRule({
    ...{ before: this.before, figures: this.draft, judged: this.judged, what: this.what, point: this.point },
    ...{ points: this.points, nodes: this.nodes, thresholds: this.thresholds, reading: this.reading, zone: this.zone },
    habit: usualOf(this.point, this.judged.kind),
  });
  protected readonly rehearsed = rehearsedOutputs(this.switched, this.what, this.before);
  protected readonly missing = computed(() => {
    this.draft();
    return problemsIn(this.form);
  });
  protected readonly caution = computed(() =>
    eachOnce([
      this.switched()?.output?.caution,
      ...this.what.then().map(({ output }) => this.outputs().find(({ id }) => id === output)?.output?.caution),
      'Dew Post is never the only protection where life or fire is at stake.',
    ]),
  );
  /** The version that was begun from; and what somebody else has put in force since. */
  protected readonly from = signal(this.before?.version ?? 0);
  protected readonly meanwhile = signal<Threshold | null>(null);
  protected readonly apart = computed(() => {
    const theirs = this.meanwhile();
    const { draft, what, judged } = { draft: this.draft(), what: this.what, judged: this.judged };
    return theirs === null ? [] : rulesApart(draft, what, judged, theirs, (id) => this.outputName(id));
  });
  protected readonly reportSeconds = computed(() => this.nodes()[this.point()?.node ?? '']?.reportSeconds ?? 30);
  protected readonly alone = computed(() => {
    const [follows, judged] = [this.what.body(this.draft().output), this.judged.body()];
    return follows !== null && judged !== null && followsAlone({ ...follows, ...judged }, this.point(), this.switched());
  });
  protected readonly unarmed = computed(() => {
    const point = this.point();
    return point === null || point === undefined || !actsAt(this.nodes()[point.node], point.name);
  });

  constructor() {
    useIcons({ x: X, 'triangle-alert': TriangleAlert });
    if (this.before) this.form.controls.point.disable();
    else beginsOnItsSide(this.form.controls.side, this.point);
  }

  protected nameOf(point: Point): string {
    return `${this.nodeName(point.node)}: ${point.label}`;
  }
  protected readonly nameById = (id: number | null): string => {
    const point = this.choices().find((one) => one.id === id);
    return point ? this.nameOf(point) : '';
  };

  protected async arm(): Promise<void> {
    const typed = this.ruleTyped();
    if (typeof typed === 'string') {
      this.problem.set(typed);
      if (bodyOf(this.form, bodySchema) === null) toFirstProblem(this.host);
      return;
    }
    const { point, ...rule } = typed;
    this.busy.set(true);
    this.problem.set(null);
    try {
      if (this.before)
        await this.api.call(respond.changeThreshold, {
          params: { id: this.before.id },
          body: { ...rule, from: this.from(), why: this.why(), others: this.along() },
        });
      else await this.api.call(respond.addThreshold, { body: { ...rule, point, others: rule.output === null ? [...this.others()] : [] } });
      this.ref.close();
    } catch (error) {
      // What was typed stays.
      const current = error instanceof ApiError ? thresholdSchema.safeParse(error.current) : null;
      this.meanwhile.set(current?.success ? current.data : null);
      this.problem.set(current?.success ? null : placeProblem(this.form, error));
      this.busy.set(false);
      if (!current?.success) toFirstProblem(this.host);
    }
  }

  /** The rule as it is typed; why it is none yet, in words. */
  protected readonly ruleTyped = () => {
    const body = bodyOf(this.form, bodySchema);
    if (!body) return 'Some of it is missing or wrong: see the fields.';
    const fault = this.hoursFault();
    if (fault !== null) return fault;
    const judged = this.judged.body();
    if (judged === null) return this.judged.fault() ?? 'What it is judged by is not whole yet.';
    const follows = this.what.body(body.output);
    if (follows === null) return 'Nothing would follow from it: choose an alert, a notice, or an output.';
    // Only an alert can be latched.
    return { ...body, side: this.rule.side(), ...follows, ...judged, latching: judged.latching && this.what.alerts() };
  };

  /** Rules that are changed along, each by the version that is seen here. */
  private along(): { id: number; from: number }[] {
    if (this.draft().output !== null) return [];
    return this.thresholds().flatMap(({ id, version }) => (this.others().includes(id) ? [{ id, from: version }] : []));
  }

  protected useSuggested({ field, value }: Suggestion): void {
    this.form.controls[field].setValue(value);
    this.form.controls[field].markAsDirty();
  }

  protected takeTheirs(theirs: Threshold): void {
    this.form.patchValue(theirs);
    this.what.take(theirs);
    this.judged.take(theirs);
    this.keepEditing(theirs);
  }
  protected saveMine(theirs: Threshold): void {
    this.keepEditing(theirs);
    void this.arm();
  }
  private keepEditing(theirs: Threshold): void {
    this.from.set(theirs.version);
    this.meanwhile.set(null);
  }
  private outputName(id: number | null): string | null {
    const output = this.outputs().find((point) => point.id === id);
    return output ? `${output.label}, ${this.nodeName(output.node)}` : null;
  }
}
