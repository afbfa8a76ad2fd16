import { access, type Account } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, effect, inject, resource, signal } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatProgressBar } from '@angular/material/progress-bar';
import { MatSelectModule } from '@angular/material/select';
import { MatTableModule } from '@angular/material/table';
import { Store } from '@ngrx/store';
import * as z from 'zod';
import { Api, messageOf } from '../data/api';
import { placeFeature } from '../data/reducers';
import { EmptyIsNull } from '../parts/empty-is-null';
import { saidAbout } from '../parts/said';
import { askBeforeClosing, type HoldsUnsaved } from '../parts/unsaved';
import { bodyOf, draftOf, placeProblem, zodForm } from '../parts/zod-forms';
import { day } from '../parts/times';

const passwordForm = access.setPassword.body.extend({ name: z.string() });

/** Who can sign in. Makers add, take away and give new passwords; everybody changes his own. */
@Component({
  selector: 'dp-accounts',
  imports: [EmptyIsNull, MatButton, MatFormFieldModule, MatInput, MatProgressBar, MatSelectModule, MatTableModule, ReactiveFormsModule],
  templateUrl: './accounts.html',
  styleUrl: './accounts.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Accounts implements HoldsUnsaved {
  private readonly api = inject(Api);
  private readonly place = inject(Store).selectSignal(placeFeature.selectPlaceState);
  protected readonly me = computed(() => this.place().me);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly read = resource({ params: () => this.maker() || undefined, loader: () => this.api.call(access.accounts, {}) });
  protected readonly accounts = computed(() => (this.read.hasValue() ? this.read.value() : []));
  protected readonly problem = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly columns = ['name', 'role', 'since', 'do'];
  protected readonly roles = [
    { role: 'keeper', does: 'keeper: watches, acknowledges, switches, fits' },
    { role: 'maker', does: 'maker: plans, writes and arms as well' },
  ] as const;

  protected readonly adding = zodForm(access.addAccount.body, { name: null, role: 'keeper', password: null });
  protected readonly password = zodForm(passwordForm, { name: '', present: null, password: null });
  private readonly typed = draftOf(this.password);
  protected readonly own = computed(() => this.typed().name === this.me()?.name);
  /** Whose account is asked about before it is taken away. */
  protected readonly leaving = signal<Account | null>(null);
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);

  constructor() {
    askBeforeClosing(() => this.unsaved());
    // Who is signed in is known a moment after the page; what was chosen meanwhile stays.
    effect(() => {
      const me = this.me();
      if (me && this.password.controls.name.pristine) this.password.controls.name.setValue(me.name);
    });
  }

  unsaved(): string | null {
    return this.adding.dirty ? 'The account that you began' : null;
  }
  protected readonly sayOf = saidAbout;
  protected since(account: Account): string {
    return day(account.createdAt, this.place().site?.timezone ?? 'UTC');
  }

  protected async add(): Promise<void> {
    const body = bodyOf(this.adding, access.addAccount.body);
    if (!body) return;
    await this.trying(this.adding, async () => {
      this.read.set(await this.api.call(access.addAccount, { body }));
      this.adding.reset({ name: null, role: 'keeper', password: null });
      return `${body.name} can sign in now.`;
    });
  }

  protected async setPassword(): Promise<void> {
    const body = bodyOf(this.password, passwordForm);
    if (!body) return;
    const { name, present, password } = body;
    await this.trying(this.password, async () => {
      await this.api.call(access.setPassword, { params: { name }, body: { password, ...(this.own() && { present }) } });
      this.password.reset({ name, present: null, password: null });
      return this.own()
        ? 'Your password is changed; you are signed out everywhere else.'
        : `${name} has a new password, and is signed out.`;
    });
  }

  protected async remove(account: Account): Promise<void> {
    await this.trying(null, async () => {
      this.read.set(await this.api.call(access.removeAccount, { params: { name: account.name } }));
      return `${account.name} cannot sign in any more.`;
    });
    this.leaving.set(null);
  }

  private async trying(form: Parameters<typeof placeProblem>[0] | null, act: () => Promise<string>): Promise<void> {
    try {
      this.said.set({ text: await act(), bad: false });
    } catch (error) {
      const text = form ? placeProblem(form, error) : messageOf(error);
      this.said.set(text === null ? null : { text, bad: true });
    }
  }
}
