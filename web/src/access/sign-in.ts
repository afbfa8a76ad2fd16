import { access } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input, resource, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormControl, FormGroup, ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { Router } from '@angular/router';
import { KeyRound, PenTool } from 'lucide';
import { Api, messageOf } from '../data/api';
import { formDefaults } from '../parts/form-defaults';
import { Icon } from '../parts/icon';
import { Mark } from '../parts/mark';

const STAGES = [
  ['Plan', 'what to measure, where,', 'on which board and battery'],
  ['Provision', 'thirty nodes written,', 'joined and proved'],
  ['Calibrate', 'fitted to a reference,', 'with its uncertainty'],
  ['Watch', 'live and on record,', 'shared by link'],
  ['Respond', 'warn the right person,', 'switch within limits'],
  ['Upkeep', 'the ladder once,', 'not twice'],
] as const;

const DOES: Record<string, string> = {
  maker: 'plans, writes, arms, hands out links',
  keeper: 'acknowledges, switches relays',
};

@Component({
  selector: 'dp-sign-in',
  imports: [Icon, Mark, MatButton, MatFormFieldModule, MatInput, ReactiveFormsModule],
  providers: formDefaults,
  templateUrl: './sign-in.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SignIn {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  readonly back = input<string>();
  protected readonly stages = STAGES;
  protected readonly door = resource({ loader: () => this.api.call(access.door, {}) });
  protected readonly form = new FormGroup({
    name: new FormControl('', { nonNullable: true }),
    password: new FormControl('', { nonNullable: true }),
  });
  private readonly typed = toSignal(this.form.valueChanges, { initialValue: this.form.value });
  protected readonly shown = signal(false);
  protected readonly busy = signal(false);
  protected readonly error = signal<string | null>(null);
  protected readonly ready = computed(() => (this.typed().name ?? '').trim() !== '' && this.typed().password && !this.busy());
  protected readonly ticks = Array.from({ length: 181 }, (_, i) => ({ x: 16 + i * 7.28, long: i % 25 === 12 ? 2 : i % 5 === 2 ? 1 : 0 }));
  protected readonly pen = PenTool;
  protected readonly key = KeyRound;

  protected does(role: string): string {
    return DOES[role] ?? '';
  }

  protected async signIn(name: string, password: string): Promise<void> {
    this.busy.set(true);
    this.error.set(null);
    try {
      await this.api.call(access.signIn, { body: { name: name.trim(), password } });
      const back = this.back();
      // Only a path of our own: never another site.
      await this.router.navigateByUrl(back && /^\/(?!\/)/.test(back) ? back : '/watch');
    } catch (error) {
      this.error.set(messageOf(error));
      this.busy.set(false);
    }
  }
}
