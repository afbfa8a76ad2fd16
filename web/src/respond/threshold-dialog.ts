import { respond, thresholdSchema, type Severity, type Threshold } from '@dewpost/contract';
import { clearLevelOf } from '@dewpost/core/alarm';
import { eachOnce, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, linkedSignal, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MAT_DIALOG_DATA, MatDialogClose, MatDialogRef, type MatDialog } from '@angular/material/dialog';
import { Store } from '@ngrx/store';
import { TriangleAlert, X } from 'lucide';
import { Api, ApiError, messageOf } from '../data/api';
import { allLatest, allNodes, allPoints } from '../data/reducers';
import { ChangedMeanwhile, differences } from '../parts/changed-meanwhile';
import { Icon } from '../parts/icon';
import { ReadingStrip } from '../parts/reading-strip';
import { Selection } from '../shell/selection';
import { followsAlone } from './alone';

/** Sets a threshold, new or another version of one; the staff shows it on the real value while it is drawn. */
export function openThresholdDialog(dialogs: MatDialog, threshold: Threshold | null): void {
  dialogs.open<ThresholdDialog, Threshold | null>(ThresholdDialog, {
    data: threshold,
    width: '720px',
    maxWidth: '96vw',
    backdropClass: 'scrim',
    ariaLabelledBy: 'dialog-title',
    autoFocus: '#t-setpoint',
  });
}

@Component({
  selector: 'dp-threshold-dialog',
  imports: [ChangedMeanwhile, FormsModule, Icon, MatDialogClose, ReadingStrip],
  templateUrl: './threshold-dialog.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ThresholdDialog {
  protected readonly before = inject<Threshold | null>(MAT_DIALOG_DATA);
  private readonly ref = inject<MatDialogRef<ThresholdDialog>>(MatDialogRef);
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly selection = inject(Selection);
  protected readonly icons = { X, TriangleAlert };
  private readonly points = this.store.selectSignal(allPoints.selectAll);
  private readonly nodes = this.store.selectSignal(allNodes.selectEntities);
  private readonly latest = this.store.selectSignal(allLatest.selectEntities);
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

  protected readonly pointId = linkedSignal(() => this.before?.point ?? this.first()?.id ?? 0);
  protected readonly point = computed(() => this.choices().find((point) => point.id === this.pointId()) ?? null);
  protected readonly reading = computed(() => this.latest()[this.pointId()] ?? null);
  protected readonly side = signal<'high' | 'low'>(this.before?.side ?? 'low');
  protected readonly setpoint = signal<number | null>(this.before?.setpoint ?? null);
  protected readonly deadband = signal<number | null>(this.before?.deadband ?? null);
  protected readonly onDelay = signal<number | null>(this.before?.onDelaySeconds ?? 60);
  protected readonly offDelay = signal<number | null>(this.before?.offDelaySeconds ?? 60);
  protected readonly severity = signal<Severity>(this.before?.severity ?? 'advisory');
  protected readonly output = signal<number | null>(this.before?.output ?? null);
  protected readonly tells = signal<'alert' | 'journal'>(this.before?.tells ?? 'alert');
  protected readonly busy = signal(false);
  protected readonly problem = signal<string | null>(null);
  /** The version that was begun from; and what somebody else has put in force since. */
  protected readonly from = signal(this.before?.version ?? 0);
  protected readonly meanwhile = signal<Threshold | null>(null);
  protected readonly apart = computed(() => {
    const [theirs, setpoint] = [this.meanwhile(), this.setpoint()];
    if (theirs === null || setpoint === null) return [];
    const named = (id: number | null): string | null => {
      const output = this.outputs().find((point) => point.id === id);
      return output ? `${output.label}, ${output.node}` : null;
    };
    const mine = this.rule(setpoint);
    return differences(LABELS, { ...mine, output: named(mine.output) }, { ...theirs, output: named(theirs.output) });
  });
  protected readonly severities: Severity[] = ['advisory', 'warning', 'critical'];
  protected readonly switched = computed(() => this.outputs().find((point) => point.id === this.output()) ?? null);
  protected readonly caution = computed(() =>
    eachOnce([this.switched()?.output?.caution, 'Dew Post is never the only protection where life or fire is at stake.']),
  );
  protected readonly clear = computed(() => {
    const setpoint = this.setpoint();
    return setpoint === null ? null : clearLevelOf(this.side(), setpoint, this.deadband() ?? 0);
  });
  protected readonly limits = computed(() => {
    const setpoint = this.setpoint();
    const clear = this.clear();
    return setpoint === null || clear === null ? [] : [{ side: this.side(), setpoint, clearLevel: clear, severity: this.severity() }];
  });
  protected readonly missing = computed(() => {
    if (!this.point()) return 'Choose a point.';
    if (this.setpoint() === null) return 'Type a setpoint.';
    if ((this.deadband() ?? 0) < 0) return 'A deadband is not negative.';
    if (this.onDelay() === null || this.offDelay() === null) return 'Type both delays; 0 is a delay too.';
    return null;
  });
  protected readonly words = computed(() => {
    const point = this.point();
    const clear = this.clear();
    if (!point || clear === null) return '';
    const now = this.reading() ? ` Now it is ${this.number(this.reading()?.value ?? null)}.` : '';
    const held = point.confirm === 'hold' ? ' It says only when it changes: what it said last holds until then.' : '';
    return `Clears ${this.side() === 'high' ? 'at or below' : 'at or above'} ${this.number(clear)}.${now}${held}`;
  });
  protected readonly alone = computed(() => followsAlone(this.point(), this.switched()));
  protected readonly unarmed = computed(() => {
    const node = this.nodes()[this.point()?.node ?? ''];
    return node?.state !== 'proved' || node.fittedAt === null;
  });

  protected number(value: number | null): string {
    const point = this.point();
    return `${formatNumber(value, point?.decimals ?? 1)} ${point?.unit ?? ''}`;
  }
  protected toNumber(value: unknown): number | null {
    return value === '' || value === null || !Number.isFinite(Number(value)) ? null : Number(value);
  }

  protected async arm(): Promise<void> {
    const setpoint = this.setpoint();
    if (this.missing() !== null || setpoint === null) return;
    this.busy.set(true);
    this.problem.set(null);
    const rule = this.rule(setpoint);
    try {
      const version = this.from();
      if (this.before) await this.api.call(respond.changeThreshold, { params: { id: this.before.id }, body: { ...rule, from: version } });
      else await this.api.call(respond.addThreshold, { body: { ...rule, point: this.pointId() } });
      this.ref.close();
    } catch (error) {
      // What was typed stays.
      const current = error instanceof ApiError ? thresholdSchema.safeParse(error.current) : null;
      this.meanwhile.set(current?.success ? current.data : null);
      this.problem.set(current?.success ? null : messageOf(error));
      this.busy.set(false);
    }
  }

  protected takeTheirs(theirs: Threshold): void {
    this.side.set(theirs.side);
    this.setpoint.set(theirs.setpoint);
    this.deadband.set(theirs.deadband);
    this.onDelay.set(theirs.onDelaySeconds);
    this.offDelay.set(theirs.offDelaySeconds);
    this.severity.set(theirs.severity);
    this.output.set(theirs.output);
    this.tells.set(theirs.tells);
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

  private rule(setpoint: number) {
    return {
      side: this.side(),
      setpoint,
      deadband: this.deadband() ?? 0,
      onDelaySeconds: this.onDelay() ?? 0,
      offDelaySeconds: this.offDelay() ?? 0,
      severity: this.severity(),
      output: this.output(),
      tells: this.output() === null ? ('alert' as const) : this.tells(),
    };
  }
}

const LABELS = {
  side: 'trips when high or low',
  setpoint: 'setpoint',
  deadband: 'deadband',
  onDelaySeconds: 'on-delay, s',
  offDelaySeconds: 'off-delay, s',
  severity: 'severity',
  output: 'switches',
  tells: 'a trip is',
} as const;
