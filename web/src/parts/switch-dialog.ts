import { respond, type Point } from '@dewpost/contract';
import { eachOnce, formatDuration } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatButtonToggle, MatButtonToggleGroup } from '@angular/material/button-toggle';
import { MAT_DIALOG_DATA, MatDialogClose, MatDialogRef, type MatDialog } from '@angular/material/dialog';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatIcon } from '@angular/material/icon';
import { MatInput } from '@angular/material/input';
import { Store } from '@ngrx/store';
import { Timer, TriangleAlert, Unplug, X } from 'lucide';
import { Api, messageOf } from '../data/api';
import { allRelays } from '../data/reducers';
import { selectTimezone } from '../data/selectors';
import { nodeNames } from '../data/node-names';
import { Clock } from './clock';
import { Icon } from './icon';
import { useIcons } from './icons';
import { outputWords } from './output-state';
import { timeOfDay } from './times';
import { draftOf, zodForm } from './zod-forms';
import * as z from 'zod';

interface Asked {
  point: Point;
  room: string;
}

/** Asks before an output is switched by hand, with a time limit, and shows the state read back. */
export function openSwitchDialog(dialogs: MatDialog, point: Point, room: string): void {
  dialogs.open<SwitchDialog, Asked>(SwitchDialog, {
    data: { point, room },
    width: '584px',
    maxWidth: '96vw',
    backdropClass: 'scrim',
    ariaLabelledBy: 'dialog-title',
    autoFocus: '#switch-seconds',
  });
}

@Component({
  selector: 'dp-switch-dialog',
  imports: [
    Icon,
    MatButton,
    MatButtonToggle,
    MatButtonToggleGroup,
    MatDialogClose,
    MatFormFieldModule,
    MatIcon,
    MatInput,
    ReactiveFormsModule,
  ],
  templateUrl: './switch-dialog.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SwitchDialog {
  protected readonly nameOf = nodeNames();
  protected readonly asked = inject<Asked>(MAT_DIALOG_DATA);
  private readonly ref = inject<MatDialogRef<SwitchDialog>>(MatDialogRef);
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly clock = inject(Clock);
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly relays = this.store.selectSignal(allRelays.selectEntities);
  protected readonly icons = { Timer, Unplug, TriangleAlert };
  protected readonly point = this.asked.point;
  protected readonly guards = this.point.output?.guards;
  protected readonly caution = eachOnce([
    this.point.output?.caution,
    'Dew Post is never the only protection where life or fire is at stake.',
  ]);
  protected readonly limitSeconds = this.guards?.maxRunSeconds ?? 3600;
  protected readonly relay = computed(() => this.relays()[this.point.id] ?? null);
  protected readonly words = computed(() => outputWords(this.point, this.relay(), this.clock.now()));
  protected readonly turnsOff = computed(() => this.relay()?.state === true);

  /** Choices that fit below the maximum run, in seconds. */
  protected readonly choices = [30, 60, 300, 600, 1200, 1800].filter((seconds) => seconds <= this.limitSeconds).slice(-4);
  protected readonly form = zodForm(z.object({ seconds: z.number().min(1).max(this.limitSeconds), reason: z.string().max(200) }), {
    seconds: this.choices[Math.min(1, this.choices.length - 1)] ?? this.limitSeconds,
    reason: '',
  });
  private readonly draft = draftOf(this.form);
  protected readonly seconds = computed(() => this.draft().seconds ?? 0);
  protected readonly busy = signal(false);
  protected readonly sent = signal<number | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly span = Math.max(60, Math.ceil(this.limitSeconds / 0.75 / 60) * 60);
  protected readonly x = (seconds: number): number => 8 + (Math.max(0, Math.min(this.span, seconds)) / this.span) * 460;
  /** What stands at an end of the scale is written inwards, so that nothing of it is cut off. */
  protected readonly anchor = (x: number): string => (x < 40 ? 'start' : x > 436 ? 'end' : 'middle');
  protected readonly ticks = Array.from({ length: 7 }, (_, i) => ({
    x: 8 + (i * 460) / 6,
    text: formatDuration((this.span / 6) * i * 1000),
  }));
  protected readonly offAt = computed(() => timeOfDay(this.clock.now() + this.seconds() * 1000, this.zone(), this.seconds() < 120));
  protected readonly read = computed(() => {
    const relay = this.relay();
    const sent = this.sent();
    if (sent === null || !relay?.readAt || relay.readAt < sent - 500) return null;
    return relay;
  });

  constructor() {
    useIcons({ x: X });
  }

  protected duration(seconds: number): string {
    return formatDuration(seconds * 1000);
  }

  protected async switchOn(): Promise<void> {
    if (this.form.valid) await this.send({ on: true, seconds: this.seconds(), reason: this.draft().reason ?? '' });
  }
  protected async switchOff(): Promise<void> {
    await this.send({ on: false, reason: this.draft().reason ?? '' });
  }
  protected close(): void {
    this.ref.close();
  }

  private async send(body: { on: true; seconds: number; reason: string } | { on: false; reason: string }): Promise<void> {
    this.busy.set(true);
    this.problem.set(null);
    const sent = Date.now();
    try {
      await this.api.call(respond.switchRelay, { params: { id: this.point.id }, body });
      this.sent.set(sent);
    } catch (error) {
      this.problem.set(messageOf(error));
    } finally {
      this.busy.set(false);
    }
  }
}
