import { addressing, type networksReply } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, effect, inject, input, output, signal, untracked } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import type * as z from 'zod';
import { Api, messageOf } from '../../data/api';
import { bodyOf, saying, zodForm } from '../../parts/zod-forms';

type Networks = z.output<typeof networksReply>;
const network = addressing.setNetworks.body.shape.networks.element;
const form = network.extend({ passphrase: network.shape.passphrase.unwrap() });

/** The first of the networks, kept from the bench: the others stay as they are, in their order. */
@Component({
  selector: 'dp-bench-network',
  imports: [MatButton, MatFormFieldModule, MatInput, ReactiveFormsModule],
  template: `<form class="network" [formGroup]="form" (ngSubmit)="save()">
    <mat-form-field>
      <mat-label>Network name</mat-label>
      <input matInput id="net-name" autocomplete="off" formControlName="name" />
      <mat-error>{{ sayOf(form.controls.name) }}</mat-error>
    </mat-form-field>
    <mat-form-field>
      <mat-label>Passphrase, 8 to 63 characters</mat-label>
      <input matInput id="net-pass" type="password" autocomplete="new-password" formControlName="passphrase" />
      <mat-error>{{ sayOf(form.controls.passphrase) }}</mat-error>
    </mat-form-field>
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
  protected readonly form = zodForm(form, { name: '', passphrase: '' });
  protected readonly sayOf = saying(this.form);
  protected readonly problem = signal<string | null>(null);

  constructor() {
    effect(() => {
      const name = this.kept()?.networks[0]?.name ?? '';
      untracked(() => this.form.reset({ name, passphrase: '' }));
    });
  }

  protected async save(): Promise<void> {
    const first = bodyOf(this.form, form);
    if (!first) return;
    const others = (this.kept()?.networks ?? []).slice(1).filter(({ name }) => name !== first.name);
    try {
      const body = { from: this.kept()?.version ?? 0, networks: [first, ...others.map(({ name }) => ({ name, passphrase: null }))] };
      this.saved.emit(await this.api.call(addressing.setNetworks, { body }));
    } catch (error) {
      this.problem.set(messageOf(error));
    }
  }
}
