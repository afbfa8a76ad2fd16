import { watch, type Dashboard, type Share } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input, resource, signal } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatButtonToggle, MatButtonToggleGroup } from '@angular/material/button-toggle';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatIcon } from '@angular/material/icon';
import { MatInput } from '@angular/material/input';
import { Store } from '@ngrx/store';
import { Copy, Link, X } from 'lucide';
import { Api, messageOf } from '../data/api';
import { placeFeature } from '../data/reducers';
import { selectTimezone } from '../data/selectors';
import { useIcons } from '../parts/icons';
import { saidAbout } from '../parts/said';
import { dayAndTime } from '../parts/times';
import { bodyOf, draftOf, placeProblem, zodForm } from '../parts/zod-forms';
import { Drawers } from '../shell/drawers';

const formSchema = watch.share.body.omit({ dashboard: true });

/** Makes and ends read-only links to one dashboard. */
@Component({
  selector: 'dp-share-drawer',
  imports: [MatButton, MatButtonToggle, MatButtonToggleGroup, MatFormFieldModule, MatIcon, MatInput, ReactiveFormsModule],
  templateUrl: './share-drawer.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ShareDrawer {
  private readonly api = inject(Api);
  protected readonly drawers = inject(Drawers);
  readonly dashboard = input.required<Dashboard>();
  private readonly store = inject(Store);
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly site = this.store.selectSignal(placeFeature.selectSite);
  protected readonly form = zodForm(formSchema, { label: '', days: 7 });
  protected readonly draft = draftOf(this.form);
  protected readonly sayOf = saidAbout;
  protected readonly choices = [1, 7, 30] as const;
  protected readonly made = signal<{ share: Share; address: string } | null>(null);
  protected readonly copied = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly asking = signal<number | null>(null);
  private readonly shares = resource({ loader: () => this.api.call(watch.shares, {}) });
  protected readonly inUse = computed(() =>
    (this.shares.hasValue() ? this.shares.value() : []).filter(
      (share) => share.revokedAt === null && share.endsAt > Date.now() && share.dashboard === this.dashboard().slug,
    ),
  );

  constructor() {
    useIcons({ x: X, link: Link, copy: Copy });
  }

  protected async make(): Promise<void> {
    const body = bodyOf(this.form, formSchema);
    if (!body) return;
    try {
      const { share, token } = await this.api.call(watch.share, { body: { ...body, dashboard: this.dashboard().slug } });
      this.made.set({ share, address: `${this.site()?.address ?? location.origin}/s#${token}` });
      this.copied.set(false);
      this.form.reset({ label: '', days: body.days });
      this.problem.set(null);
      this.shares.reload();
    } catch (error) {
      this.problem.set(placeProblem(this.form, error));
    }
  }
  protected async take(): Promise<void> {
    await navigator.clipboard.writeText(this.made()?.address ?? '').then(
      () => this.copied.set(true),
      () => this.problem.set('The browser did not let the link be copied: select it and copy it by hand.'),
    );
  }
  protected async end(share: Share): Promise<void> {
    try {
      await this.api.call(watch.revokeShare, { params: { id: share.id } });
      this.asking.set(null);
      if (this.made()?.share.id === share.id) this.made.set(null);
      this.shares.reload();
    } catch (error) {
      this.problem.set(messageOf(error));
    }
  }
  protected until(share: Share): string {
    return `until ${dayAndTime(share.endsAt, this.zone())}`;
  }
  protected seen(share: Share): string {
    return share.seenAt === null ? 'not opened yet' : `opened ${dayAndTime(share.seenAt, this.zone())}`;
  }
}
