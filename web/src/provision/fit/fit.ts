import { provision, type FitReply } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Camera, TriangleAlert } from 'lucide';
import { Api, messageOf } from '../../data/api';
import { nodeNames } from '../../data/node-names';
import { fitsFeature } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { FileButton } from '../../parts/file-button';
import { useIcons } from '../../parts/icons';
import { Icon } from '../../parts/icon';
import { dayAndTime } from '../../parts/times';
import { FitNeed } from './fit-need';

const PHOTO_PIXELS = 1600;

/** A picture small enough to keep: 1600 pixels on its longer side, as JPEG. */
async function shrunk(file: File): Promise<Blob> {
  const picture = await createImageBitmap(file);
  const scale = Math.min(1, PHOTO_PIXELS / Math.max(picture.width, picture.height));
  const canvas = document.createElement('canvas');
  canvas.width = Math.round(picture.width * scale);
  canvas.height = Math.round(picture.height * scale);
  canvas.getContext('2d')?.drawImage(picture, 0, 0, canvas.width, canvas.height);
  picture.close();
  return new Promise((resolve, reject) =>
    canvas.toBlob((blob) => (blob ? resolve(blob) : reject(new Error('The picture could not be drawn.'))), 'image/jpeg', 0.85),
  );
}

/** Proving one node in place, on a phone: signal, supply, every sensor against a hand instrument, every output operated and seen. */
@Component({
  selector: 'dp-fit',
  imports: [FileButton, FitNeed, Icon, MatButton, RouterLink],
  templateUrl: './fit.html',
  styles: `
    .needs {
      padding: 0 16px 24px 56px;
      max-width: 860px;
    }
    li {
      display: grid;
      gap: 8px;
      padding: 12px 0;
      border-bottom: 1px solid var(--hair);
    }
    .what {
      display: flex;
      gap: 8px;
      align-items: baseline;
      font-size: 14px;
    }
    .tick {
      width: 18px;
    }
    .state {
      margin-left: auto;
      color: var(--ink-2);
    }
    .do,
    .photos {
      margin-left: 26px;
    }
    .do {
      display: flex;
      flex-wrap: wrap;
      gap: 12px;
      align-items: center;
    }
    .photos {
      display: flex;
      flex-wrap: wrap;
      gap: 12px;
    }
    .photos img {
      width: 160px;
      display: block;
    }
    @media (max-width: 899px) {
      .needs {
        padding-left: 16px;
      }
      .do,
      .photos {
        margin-left: 0;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Fit {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  readonly node = input.required<string>();
  protected readonly icons = { TriangleAlert };

  constructor() {
    useIcons({ camera: Camera });
  }
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly live = this.store.selectSignal(fitsFeature.selectFitsState);
  protected readonly nameOf = nodeNames();
  private readonly read = resource({
    params: () => this.node(),
    loader: ({ params: id }) => this.api.call(provision.fit, { params: { id } }),
  });
  protected readonly problem = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly view = computed(() => this.live()[this.node()] ?? (this.read.hasValue() ? this.read.value() : null));
  protected readonly said = signal<string | null>(null);
  protected readonly sending = signal(false);
  protected readonly head = computed(() => {
    const fit = this.view();
    if (!fit) return '';
    if (fit.fittedAt !== null) {
      const not = fit.needs.flatMap(({ label, state }) => (state === 'not-possible' ? [label.toLowerCase()] : []));
      const but = not.length > 0 ? `, but for ${not.join(', ')}` : '';
      return `armed since ${dayAndTime(fit.fittedAt, this.zone())}, by ${fit.fittedBy ?? ''}${but}`;
    }
    const count = (state: string): number => fit.needs.filter((need) => need.state === state).length;
    const not = count('not-possible');
    return `${count('passed')} of ${fit.needs.length} passed${not > 0 ? `, ${not} not possible` : ''}; unarmed until all are settled`;
  });
  protected when(ms: number): string {
    return dayAndTime(ms, this.zone());
  }
  protected address(photo: number): string {
    return `/api/v1/nodes/${encodeURIComponent(this.node())}/photos/${photo}`;
  }

  protected took(fit: FitReply): void {
    this.read.set(fit);
  }
  protected async blink(): Promise<void> {
    try {
      const { asked } = await this.api.call(provision.blink, { params: { id: this.node() } });
      this.said.set(asked ? null : `${this.node()} is not connected: its lamp cannot be asked for.`);
    } catch (error) {
      this.said.set(messageOf(error));
    }
  }
  protected async photo(file: File): Promise<void> {
    this.sending.set(true);
    try {
      const body = await shrunk(file);
      const answer = await fetch(`/api/v1/nodes/${encodeURIComponent(this.node())}/photos?note=in%20place`, {
        method: 'POST',
        headers: { 'content-type': 'image/jpeg' },
        body,
      });
      this.said.set(answer.ok ? null : ((await answer.json()) as { detail: string }).detail);
      this.read.reload();
    } catch (error) {
      this.said.set(`The picture was not kept: ${error instanceof Error ? error.message : 'it cannot be read'}. Choose it again.`);
    }
    this.sending.set(false);
  }

  protected remove(photo: number): Promise<void> {
    return this.run((params) => this.api.call(provision.removePhoto, { params: { ...params, photo } }));
  }

  private async run(act: (params: { id: string }) => Promise<FitReply>): Promise<void> {
    try {
      this.read.set(await act({ id: this.node() }));
      this.said.set(null);
    } catch (error) {
      this.said.set(messageOf(error));
    }
  }
}
