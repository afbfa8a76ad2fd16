import { plan, type BuildSheet, type Firmware, type Node, type Run } from '@dewpost/contract';
import { pointsOfSheet, type Catalogue, type SheetDraft } from '@dewpost/core/circuit';
import { SELF_TESTS } from '@dewpost/core/fit';
import { lampLegend, type LampState } from '@dewpost/core/joining';
import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatIcon } from '@angular/material/icon';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { TriangleAlert } from 'lucide';
import { Api, messageOf } from '../../data/api';
import { placeFeature } from '../../data/reducers';
import { useIcons } from '../../parts/icons';
import { Drawers } from '../../shell/drawers';
import { hasWebSerial } from './web-serial-port';
import type { Job } from './job';

/** A node on the bench, what this page does with it, and its newest run. */
export interface BenchRow {
  readonly node: Node;
  readonly job: Job | null;
  readonly run: Run | null;
}

const KEY_SHOWN_MS = 20_000;
const LAMP_MS = 3000;

/** A lamp's pattern over three seconds, as a line that is up while it shines. */
function lampPath(spans: readonly number[]): string {
  if (spans.length === 1) return 'M0 2H120';
  let [path, at] = ['M0 12', 0];
  for (let i = 0; at < LAMP_MS; i++) {
    const next = Math.min(LAMP_MS, at + (spans[i % spans.length] ?? 1));
    path += i % 2 === 0 ? `V2H${(next / 25).toFixed(1)}` : `V12H${(next / 25).toFixed(1)}`;
    at = next;
  }
  return path;
}

/** Beside the bench: the serial log and key of the node in hand, what to try when a first reading is wrong, and what its lamp says. */
@Component({
  selector: 'dp-bench-side',
  imports: [MatButton, MatIcon, RouterLink],
  templateUrl: './bench-side.html',
  styles: `
    .lamps {
      padding: 0 16px 8px;
    }
    .portal {
      padding: 8px 16px;
      font-size: 12px;
    }
    .portal ul {
      padding: 6px 0 0;
    }
    .portal .mono {
      font-size: 11px;
    }
    .lamps li {
      display: grid;
      gap: 2px;
      padding: 6px 0;
      color: var(--ink-2);
      border-bottom: 1px solid var(--hair);
    }
    .lamps .now {
      color: var(--ink);
      background: var(--spruce-t);
      margin: 0 -16px;
      padding: 6px 16px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class BenchSide {
  private readonly api = inject(Api);
  private readonly place = inject(Store).selectSignal(placeFeature.selectPlaceState);
  protected readonly drawers = inject(Drawers);
  readonly row = input.required<BenchRow | null>();
  /** The library's images; the bench has read them. */
  readonly images = input.required<readonly Firmware[]>();
  /** The catalogue and the build sheets, which the bench has read as well; `null`: not yet. */
  readonly catalogue = input.required<Catalogue | null>();
  readonly sheets = input.required<readonly BuildSheet[]>();
  protected readonly maker = computed(() => this.place().me?.role === 'maker');
  protected readonly serial = hasWebSerial();
  protected readonly standins = computed(() => this.place().status?.standins !== 'off');
  protected readonly key = signal<{ node: string; text: string } | null>(null);
  protected readonly problem = signal<string | null>(null);

  /** What the shown node was drawn as; `null`: none is shown, or its sheet was not drawn here. */
  private readonly draft = computed((): SheetDraft | null => {
    const name = this.row()?.node.sheet;
    return this.sheets().find((sheet) => sheet.name === name)?.body.draft ?? null;
  });
  /** What to try at each part, while first readings are waited for or have gone wrong. */
  protected readonly selfTests = computed((): { what: string; test: string }[] => {
    const [row, draft, catalogue] = [this.row(), this.draft(), this.catalogue()];
    if (!row || !draft || !catalogue) return [];
    const last = row.run?.steps.at(-1);
    const atReadings = row.node.state === 'written' || (last?.step === 'readings' && last.state === 'failed');
    if (!atReadings) return [];
    const tests = pointsOfSheet(draft, catalogue).flatMap((point) => {
      const group = catalogue.parts.get(draft.parts.find((place) => place.ref === point.ref)?.part ?? '')?.group ?? 'other';
      const test = point.kind === 'measured' ? SELF_TESTS[group] : undefined;
      return test ? [{ what: point.label, test }] : [];
    });
    return tests.filter((each, i) => tests.findIndex((other) => other.test === each.test) === i);
  });
  private readonly board = computed(() => this.catalogue()?.boards.get(this.draft()?.board ?? '') ?? null);
  /** The shown node's lamp: that of its board with the image it is written with. */
  protected readonly legend = computed(() => {
    const image = this.images().find(({ id }) => id === this.row()?.run?.firmware) ?? null;
    return lampLegend(this.board()?.lamp?.spans ?? {}, image?.lamp ?? {}).map((pattern) => ({ ...pattern, path: lampPath(pattern.spans) }));
  });
  protected readonly lampOf = computed(() => {
    const board = this.board();
    if (!board) return null;
    return board.lamp ? `${board.name}: ${board.lamp.where}.` : `${board.name}: it has no lamp; its serial log says the same.`;
  });
  /** What the lamp should say in the step that the shown node is in. */
  protected readonly lamp = computed((): LampState | null => {
    const row = this.row();
    if (!row) return null;
    if (row.node.state === 'stopped') return row.job?.failure?.step === 'join' ? 'set-up' : 'stopped';
    if (row.node.state === 'proved' || row.node.state === 'written') return 'joined';
    return row.job?.step === 'join' || row.run?.way === 'elsewhere' ? 'searching' : row.job ? 'writing' : null;
  });

  constructor() {
    useIcons({ caution: TriangleAlert });
  }

  protected clock(ms: number): string {
    return (ms / 1000).toFixed(3);
  }
  /** Shows a key for 20 s; the server keeps who asked. */
  protected async reveal(node: Node): Promise<void> {
    try {
      const { key } = await this.api.call(plan.revealKey, { params: { id: node.id } });
      this.key.set({ node: node.id, text: key });
      this.problem.set(null);
      setTimeout(() => this.key.set(null), KEY_SHOWN_MS);
    } catch (error) {
      this.problem.set(messageOf(error));
    }
  }
}
