import { provision, type Node, type Rollout } from '@dewpost/contract';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  output,
  resource,
  signal,
  untracked,
} from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { TriangleAlert } from 'lucide';
import * as z from 'zod';
import { Api } from '../data/api';
import { selectBoardNodes, selectTimezone } from '../data/selectors';
import { RangeTick } from '../parts/range-tick';
import { Icon } from '../parts/icon';
import { saidAbout } from '../parts/said';
import { bodyOf, draftOf, placeProblem, toFirstProblem, zodForm, type Finding } from '../parts/zod-forms';

const ruleSchema = provision.beginRollout.body.shape.rule;
const time = z.string().regex(/^(\d\d:\d\d)?$/, 'a time of day');
const formSchema = z.object({
  firmware: provision.beginRollout.body.shape.firmware,
  canaries: ruleSchema.shape.canaries,
  shares: z
    .string()
    .refine((text) => sharesOf(text).every((share) => share > 0 && share <= 1), 'numbers from 1 to 100, rising: 25, 50, 100'),
  settleSeconds: ruleSchema.shape.settleSeconds,
  patienceSeconds: ruleSchema.shape.patienceSeconds,
  fails: z.number().min(0).max(100),
  from: time,
  to: time,
  rollBack: z.boolean(),
});

/** The typed percentages as shares of 1. */
function sharesOf(text: string): number[] {
  return text
    .split(/[,; ]+/)
    .filter((part) => part !== '')
    .map((part) => Number(part.replace('%', '')) / 100);
}
const minutes = (text: string): number => Number(text.slice(0, 2)) * 60 + Number(text.slice(3, 5));
/** Both ends of the hours, or neither. */
const bothEnds = ({ from, to }: { from: string | null; to: string | null }): Finding[] =>
  ((from ?? '') === '') === ((to ?? '') === '') ? [] : [{ path: [from ? 'to' : 'from'], message: 'needed with the other' }];

/** Chooses an image, its nodes and the rule by which it goes through the fleet. */
@Component({
  selector: 'dp-new-rollout',
  imports: [Icon, MatButton, MatCheckbox, MatFormFieldModule, MatInput, MatSelectModule, ReactiveFormsModule],
  templateUrl: './new-rollout.html',
  styles: `
    .grid {
      display: grid;
      grid-template-columns: 280px repeat(auto-fill, minmax(110px, 1fr));
      gap: 12px 16px;
      align-items: start;
      padding: 12px 0 8px;
    }
    .image {
      grid-column: 1;
    }
    .who {
      display: flex;
      flex-wrap: wrap;
      gap: 2px 20px;
      padding: 8px 0;
      max-height: 150px;
      overflow-y: auto;
    }
    .who .label {
      flex-basis: 100%;
    }
    .who .quiet {
      margin-left: 6px;
    }
    .do {
      display: flex;
      gap: 8px;
      margin-top: 8px;
    }
    @media (max-width: 899px) {
      .grid {
        grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
      }
      .image {
        grid-column: 1 / -1;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class NewRollout {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  readonly begun = output<Rollout>();
  readonly cancelled = output();
  protected readonly caution = TriangleAlert;
  protected readonly zone = this.store.selectSignal(selectTimezone);
  private readonly nodes = this.store.selectSignal(selectBoardNodes);
  private readonly library = resource({ loader: () => this.api.call(provision.firmware, {}) });
  /** Those that go into a slot: what is made of parts is for boards fresh from the shop. */
  protected readonly images = computed(() => (this.library.hasValue() ? this.library.value() : []).filter(({ parts }) => parts === null));
  protected readonly form = zodForm(
    formSchema,
    {
      firmware: null,
      canaries: 1,
      shares: '25, 50, 100',
      settleSeconds: 600,
      patienceSeconds: 180,
      fails: 10,
      from: '',
      to: '',
      rollBack: true,
    },
    { check: bothEnds },
  );
  private readonly draft = draftOf(this.form);
  protected readonly sayOf = saidAbout;
  protected readonly busy = signal(false);
  protected readonly said = signal<string | null>(null);
  private readonly image = computed(() => this.images().find((one) => one.id === this.draft().firmware) ?? null);
  private readonly ticked = signal<ReadonlyMap<string, boolean>>(new Map());
  /** Proved nodes that the image is made for, as far as what runs on them tells. */
  protected readonly candidates = computed(() => {
    const image = this.image();
    if (!image) return [];
    const onBoard = new Set(
      this.images()
        .filter((one) => one.board === image.board)
        .flatMap((one) => one.nodes),
    );
    // A leaf takes no images over the air.
    return this.nodes().filter(
      (node) => node.gateway === null && node.state === 'proved' && (onBoard.has(node.id) || node.firmware === null),
    );
  });
  protected readonly chosen = computed(() => this.candidates().filter((node) => this.isChosen(node)));

  constructor() {
    effect(() => {
      const [newest] = this.images();
      if (newest && untracked(() => this.form.controls.firmware.value) === null) this.form.controls.firmware.setValue(newest.id);
    });
  }

  /** Ticked by a person; else what is known to have the board and runs another image. */
  protected isChosen(node: Node): boolean {
    return this.ticked().get(node.id) ?? (node.firmware !== null && !(this.image()?.nodes.includes(node.id) ?? false));
  }
  protected readonly range = new RangeTick();
  protected toggle(node: string, on: boolean): void {
    const nodes = this.range.through(
      node,
      this.candidates().map(({ id }) => id),
    );
    this.ticked.update((before) => new Map([...before, ...nodes.map((id) => [id, on] as const)]));
  }

  protected async begin(): Promise<void> {
    const typed = bodyOf(this.form, formSchema);
    if (!typed) return toFirstProblem(this.host);
    const { firmware, shares, fails, from, to, ...rule } = typed;
    this.busy.set(true);
    try {
      const window = from !== '' && to !== '' ? { from: minutes(from), to: minutes(to) } : null;
      const made = await this.api.call(provision.beginRollout, {
        body: {
          firmware,
          nodes: this.chosen().map((node) => node.id),
          rule: { ...rule, shares: sharesOf(shares), failShare: fails / 100, window },
        },
      });
      this.begun.emit(made);
    } catch (error) {
      this.said.set(placeProblem(this.form, error));
    }
    this.busy.set(false);
  }
}
