import { provision } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, effect, inject, resource, signal } from '@angular/core';
import { FormControl, FormGroup, ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { Counted } from '../parts/counted';
import { Api, messageOf } from '../data/api';
import { placeFeature } from '../data/reducers';
import { selectBoardNodes } from '../data/selectors';
import { draftOf } from '../parts/zod-forms';
import { Selection } from '../shell/selection';
import { qrCells } from '../parts/qr-cells';
import { LABEL_SHEETS, labelPlaces } from './label-sheet';
import { ProvisionPages } from './provision-pages';

/** Labels to print: name, room, board and a code that opens the node's page. */
@Component({
  selector: 'dp-labels',
  imports: [Counted, MatButton, MatCheckbox, MatFormFieldModule, MatInput, MatSelectModule, ProvisionPages, ReactiveFormsModule],
  templateUrl: './labels.html',
  styles: `
    .choose {
      display: flex;
      flex-wrap: wrap;
      gap: 12px 16px;
      align-items: center;
      padding: 12px 16px 10px 56px;
    }
    .choose mat-form-field {
      width: 200px;
    }
    .choose .few {
      width: 130px;
    }
    .choose .wide {
      width: 260px;
    }
    @media (max-width: 899px) {
      .choose {
        padding: 10px 16px;
      }
      .choose mat-form-field {
        width: 100%;
      }
    }
    .paper {
      margin: 8px 16px 16px 56px;
      background: #fff;
      outline: 1px solid var(--rule);
      max-width: calc(100% - 72px);
      height: auto;
    }
    .cut {
      fill: none;
      stroke: #c9d0ca;
      stroke-width: 0.15;
      stroke-dasharray: 1 1;
    }
    text {
      font: 500 3px var(--sans);
      fill: #000;
    }
    .name {
      font-family: var(--mono);
      font-weight: 700;
      font-stretch: 76%;
    }
    .small {
      font-size: 2.4px;
      font-family: var(--mono);
      font-stretch: 76%;
    }
    @media (max-width: 899px) {
      .choose {
        padding-left: 16px;
      }
      .paper {
        margin-left: 8px;
        max-width: calc(100% - 16px);
      }
    }
    /* The paper is the label sheet itself: its own margins, nothing else on it. */
    @page {
      margin: 0;
    }
    @media print {
      .page-head {
        display: none;
      }
      .paper {
        /* A hair smaller: rounding would push an empty page behind each. */
        zoom: 0.998;
        margin: 0;
        outline: 0;
        max-width: none;
        break-after: page;
        &:last-child {
          break-after: auto;
        }
      }
      .cut {
        stroke: none;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Labels {
  private readonly api = inject(Api);
  protected readonly said = signal<string | null>(null);
  private readonly selection = inject(Selection);
  private readonly nodes = inject(Store).selectSignal(selectBoardNodes);
  private readonly me = inject(Store).selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly sheets = LABEL_SHEETS;
  protected readonly choices = ['all', 'written and proved', 'selected in the roster'] as const;
  private readonly site = inject(Store).selectSignal(placeFeature.selectSite);
  protected readonly form = new FormGroup({
    sheet: new FormControl(LABEL_SHEETS[0] as (typeof LABEL_SHEETS)[number], { nonNullable: true }),
    skip: new FormControl<number | null>(0),
    which: new FormControl<(typeof this.choices)[number]>('all', { nonNullable: true }),
    address: new FormControl(this.site()?.address ?? location.origin, { nonNullable: true }),
    /** The password of a node's own network belongs on the node and nowhere else: it is printed only when asked for. */
    withSetup: new FormControl(false, { nonNullable: true }),
  });
  private readonly draft = draftOf(this.form);
  protected readonly sheet = computed(() => this.draft().sheet);
  protected readonly which = computed(() => this.draft().which);
  protected readonly address = computed(() => this.draft().address);
  private readonly withSetup = computed(() => this.draft().withSetup);
  private readonly setup = resource({
    params: () => (this.maker() && this.withSetup()) || undefined,
    loader: () => this.api.call(provision.labels, {}),
  });
  protected readonly loopback = computed(() => /\/\/(127\.|localhost|\[::1\])/.test(this.address()));

  protected readonly labels = computed(() => {
    const chosen = this.nodes().filter(
      (node) =>
        this.which() === 'all' ||
        (this.which() === 'written and proved' ? node.state === 'written' || node.state === 'proved' : this.selection.nodes().has(node.id)),
    );
    const setups = new Map(
      this.withSetup() && this.setup.hasValue() ? this.setup.value().map((one) => [one.node, `set-up ${one.setupPassword}`]) : [],
    );
    const places = labelPlaces(this.sheet(), chosen.length, this.draft().skip ?? 0);
    return chosen.flatMap((node, i) => {
      const place = places[i];
      if (!place) return [];
      const code = Math.min(place.height - 5, place.width * 0.36);
      const qr = qrCells(`${this.address().replace(/\/+$/, '')}/upkeep/${encodeURIComponent(node.id)}`);
      // A long name is set smaller rather than cut.
      const font = Math.min(4.2, (place.width - code - 7) / (node.id.length * 0.56));
      return [
        { node: node.id, room: node.room, board: node.hardwareId ?? node.sheet, setup: setups.get(node.id) ?? null, place, code, qr, font },
      ];
    });
  });
  protected readonly pages = computed(() =>
    [...Map.groupBy(this.labels(), (label) => label.place.page)].map(([number, labels]) => ({
      number,
      labels,
      names: labels.map((label) => label.node).join(', '),
    })),
  );

  constructor() {
    // The site may be known a moment later; what was typed stays.
    effect(() => {
      const address = this.site()?.address;
      const { address: field } = this.form.controls;
      if (address && field.pristine) field.setValue(address);
    });
  }

  protected print(): void {
    window.print();
    // The ledger keeps that a label was made; whether it sticks is for the eye.
    this.api.call(provision.labelled, { body: { nodes: this.labels().map((label) => label.node) } }).then(
      () => this.said.set(null),
      (error: unknown) => this.said.set(messageOf(error)),
    );
  }
}
