import { addressing, typedNetwork, type networksReply } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import type * as z from 'zod';
import { Api, messageOf } from '../../data/api';
import { bodyOf, draftOf, saying, zodForm } from '../../parts/zod-forms';

type Networks = z.output<typeof networksReply>;

/** The first of the networks, kept from the bench: the others stay as they are, in their order. */
@Component({
  selector: 'dp-bench-network',
  imports: [MatButton, MatCheckbox, MatFormFieldModule, MatInput, ReactiveFormsModule],
  template: `<form class="network" [formGroup]="form" (ngSubmit)="save()">
    <mat-form-field>
      <mat-label>Network name</mat-label>
      <input matInput id="net-name" autocomplete="off" formControlName="name" />
      <mat-error>{{ sayOf(form.controls.name) }}</mat-error>
    </mat-form-field>
    <mat-form-field>
      <mat-label>Passphrase, 8 to 63 characters</mat-label>
      <input matInput id="net-pass" type="password" autocomplete="new-password" formControlName="passphrase" [readonly]="isOpen()" />
      <mat-error>{{ sayOf(form.controls.passphrase) }}</mat-error>
    </mat-form-field>
    <mat-checkbox formControlName="open" (change)="form.controls.passphrase.setValue($event.checked ? null : '')"
      >Open: no passphrase</mat-checkbox
    >
    <mat-checkbox formControlName="hidden">Hidden name</mat-checkbox>
    <button matButton="filled" type="submit">Keep it</button>
    <button matButton="outlined" type="button" (click)="closed.emit()">Cancel</button>
    @if (problem(); as words) {
      <p class="said" role="alert">{{ words }}</p>
    }
  </form>`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class BenchNetwork {
  private readonly api = inject(Api);
  /** As they are now; `null` before they are read. */
  readonly kept = input.required<Networks | null>();
  readonly saved = output<Networks>();
  readonly closed = output<void>();
  protected readonly form = zodForm(typedNetwork, { name: '', passphrase: '', open: false, hidden: false });
  private readonly draft = draftOf(this.form);
  protected readonly isOpen = computed(() => this.draft().open === true);
  protected readonly sayOf = saying(this.form);
  protected readonly problem = signal<string | null>(null);

  constructor() {
    effect(() => {
      const { name = '', open = false, hidden = false } = this.kept()?.networks[0] ?? {};
      untracked(() => this.form.reset({ name, passphrase: open ? null : '', open, hidden }));
    });
  }

  protected async save(): Promise<void> {
    const first = bodyOf(this.form, typedNetwork);
    if (!first) return;
    const others = (this.kept()?.networks ?? []).slice(1).filter(({ name }) => name !== first.name);
    try {
      const body = {
        from: this.kept()?.version ?? 0,
        networks: [first, ...others.map(({ name, open, hidden }) => ({ name, passphrase: null, open, hidden }))],
      };
      this.saved.emit(await this.api.call(addressing.setNetworks, { body }));
    } catch (error) {
      this.problem.set(messageOf(error));
    }
  }
}
