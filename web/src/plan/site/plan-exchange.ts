import { sitePlan } from '@dewpost/contract';
import { toGeoJson } from '@dewpost/core/site-plan';
import { ChangeDetectionStrategy, Component, inject, input, output } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatMenuModule } from '@angular/material/menu';
import { Api, messageOf } from '../../data/api';
import type { PlanDesk } from './plan-desk';
import { download, pngOf, svgText } from '../../parts/download-file';
import { planOfText } from './plan-files';
import { pictureOf } from './picture-file';
import type { PlanTools } from './plan-tools';

/** The plan as files, in and out: pictures beneath a floor, plans, drawings, links. */
@Component({
  selector: 'dp-plan-exchange',
  imports: [MatButton, MatMenuModule],
  template: `
    <button matButton="outlined" type="button" [matMenuTriggerFor]="files">Files</button>
    <mat-menu #files="matMenu">
      @if (maker()) {
        <button mat-menu-item type="button" (click)="picture.click()">Picture under this floor</button>
        @if (desk().floor()?.picture) {
          <button mat-menu-item type="button" (click)="hand().take('scale')">Scale the picture by two points</button>
          <button mat-menu-item type="button" (click)="dropPicture()">Take the picture off</button>
        }
        <button mat-menu-item type="button" (click)="file.click()">Read a plan, JSON or GeoJSON</button>
      }
      <button mat-menu-item type="button" (click)="exportAs('json')">Plan as JSON</button>
      <button mat-menu-item type="button" (click)="exportAs('geojson')">Plan as GeoJSON</button>
      <button mat-menu-item type="button" (click)="exportAs('svg')">This floor as SVG</button>
      <button mat-menu-item type="button" (click)="exportAs('png')">This floor as PNG</button>
      <button mat-menu-item type="button" (click)="linksWanted.emit()">Links as CSV</button>
    </mat-menu>
    <input
      #picture
      class="out-of-sight"
      type="file"
      tabindex="-1"
      accept="image/png,image/jpeg,image/svg+xml"
      aria-label="Picture file"
      (change)="importPicture(picture)"
    />
    <input
      #file
      class="out-of-sight"
      type="file"
      tabindex="-1"
      accept=".json,.geojson,application/json,application/geo+json"
      aria-label="Plan file"
      (change)="importPlan(file)"
    />
  `,
  styles: ':host { display: contents; }',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlanExchange {
  private readonly api = inject(Api);
  readonly desk = input.required<PlanDesk>();
  readonly hand = input.required<PlanTools>();
  readonly maker = input.required<boolean>();
  /** The drawing as it stands on the page. */
  readonly drawn = input.required<SVGSVGElement | undefined>();
  readonly said = output<{ text: string; bad: boolean } | null>();
  /** What is drawn has another size: all of it is to be seen. */
  readonly resized = output<void>();
  readonly linksWanted = output<void>();

  protected async importPicture(input: HTMLInputElement): Promise<void> {
    const file = input.files?.[0];
    input.value = '';
    if (!file) return;
    await this.trying(async () => {
      const { base64 } = await pictureOf(file);
      const { id, widthPixels, heightPixels } = await this.api.call(sitePlan.addPicture, { body: { base64 } });
      // Twenty metres wide until two points tell better.
      this.desk().changeFloor((floor) => ({
        ...floor,
        picture: { id, widthPixels, heightPixels, metresPerPixel: 20 / widthPixels, x: 0, y: 0 },
      }));
      this.resized.emit();
      this.hand().take('scale');
      this.said.emit({ text: 'Click two points whose distance you know, then type it.', bad: false });
    });
  }
  protected dropPicture(): void {
    this.desk().changeFloor((floor) => ({ ...floor, picture: null }));
  }
  protected async importPlan(input: HTMLInputElement): Promise<void> {
    const file = input.files?.[0];
    input.value = '';
    const current = this.desk().plan();
    if (!file || !current) return;
    await this.trying(async () => {
      if (file.size > 20_000_000) throw new Error(`${file.name} has ${Math.round(file.size / 1e6)} MB: a plan has 20 at most.`);
      const { plan, notes } = planOfText(file.name, await file.text(), current, this.hand().material());
      this.desk().change(plan);
      this.desk().floorId.set(plan.floors[0]?.id ?? 'ground');
      this.desk().held.set(null);
      this.resized.emit();
      this.said.emit({
        text: [`${file.name} was read.`, ...notes.map((note) => `${note}.`), 'Undo brings the plan before it back.'].join(' '),
        bad: false,
      });
    });
  }
  protected async exportAs(kind: 'json' | 'geojson' | 'svg' | 'png'): Promise<void> {
    const [plan, floor, svg] = [this.desk().plan(), this.desk().floor(), this.drawn()];
    if (!plan || !floor || !svg) return;
    await this.trying(async () => {
      if (kind === 'json') download('site-plan.json', 'application/json', JSON.stringify(plan, null, 1));
      if (kind === 'geojson') download('site-plan.geojson', 'application/geo+json', JSON.stringify(toGeoJson(plan), null, 1));
      if (kind === 'svg') download(`${floor.id}.svg`, 'image/svg+xml', svgText(svg));
      if (kind === 'png') download(`${floor.id}.png`, 'image/png', await pngOf(svg));
    });
  }
  private async trying(act: () => Promise<void>): Promise<void> {
    this.said.emit(null);
    try {
      await act();
    } catch (error) {
      this.said.emit({ text: messageOf(error), bad: true });
    }
  }
}
