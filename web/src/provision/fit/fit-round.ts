import { provision, type FitReply } from '@dewpost/contract';
import { counted } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { TriangleAlert } from 'lucide';
import { Api, messageOf } from '../../data/api';
import { allNodes, allPoints, fitsFeature, placeFeature } from '../../data/reducers';
import { Icon } from '../../parts/icon';
import { typedNumber } from '../../parts/typed-number';
import { FitNeed } from './fit-need';
import { openNeeds, roundFigures, roundStaff, sharedReadings, standing, type RoundNode, type SharedReading } from './round-figures';

const STAFF_WIDTH = 640;

/** Several nodes fitted in one round, on a phone: what measures itself is asked of all at once, a hand instrument is typed once for a room. */
@Component({
  selector: 'dp-fit-round',
  imports: [FitNeed, Icon, MatButton, MatFormFieldModule, MatInput, RouterLink],
  templateUrl: './fit-round.html',
  styleUrl: './fit-round.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class FitRound {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  /** Ids of the nodes, apart by commas. */
  readonly nodes = input('');
  protected readonly icons = { TriangleAlert };
  private readonly known = this.store.selectSignal(allNodes.selectEntities);
  private readonly points = this.store.selectSignal(allPoints.selectAll);
  private readonly live = this.store.selectSignal(fitsFeature.selectFitsState);
  protected readonly loaded = this.store.selectSignal(placeFeature.selectLoaded);
  private readonly read = signal<Readonly<Record<string, FitReply>>>({});
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  protected readonly working = signal(false);
  private readonly picked = signal<string | null>(null);
  private readonly hands = signal<Readonly<Record<string, number | null>>>({});
  private readonly wanted = computed(() => [...new Set(this.nodes().split(',').filter(Boolean))]);
  protected readonly round = computed<readonly RoundNode[]>(() =>
    this.wanted().flatMap((id) => {
      const node = this.known()[id];
      return node ? [{ id, name: node.name, room: node.room, fit: this.live()[id] ?? this.read()[id] ?? null }] : [];
    }),
  );
  protected readonly figures = computed(() => roundFigures(this.round()));
  protected readonly staff = computed(() => roundStaff(this.round(), STAFF_WIDTH));
  protected readonly staffWidth = STAFF_WIDTH;
  protected readonly current = computed(
    () => this.round().find(({ id }) => id === this.picked()) ?? this.round().find(({ fit }) => openNeeds(fit).length > 0) ?? null,
  );
  protected readonly shared = computed(() => sharedReadings(this.round(), this.points()));
  protected readonly toAsk = computed(() =>
    this.round().filter(
      ({ id, fit }) =>
        (this.known()[id]?.connected ?? false) && openNeeds(fit).some(({ kind, state }) => kind === 'signal' && state !== 'running'),
    ),
  );
  protected readonly asked = computed(() => this.round().some(({ fit }) => fit?.needs.some(({ state }) => state === 'running')));
  protected readonly words = computed(() => {
    const { passed, not, all } = this.figures();
    return `${passed} of ${counted(all, 'check')}${not > 0 ? `, ${not} not possible` : ''}`;
  });
  /** Outputs of the round that may start by themselves once they are armed. */
  protected readonly machines = computed(() => {
    const outputs = this.round()
      .filter(({ fit }) => fit?.fittedAt === null)
      .flatMap(({ fit }) => fit?.needs.flatMap(({ kind, label }) => (kind === 'output' ? [label.toLowerCase()] : [])) ?? []);
    return [...Map.groupBy(outputs, (label) => label)].map(([label, all]) => (all.length > 1 ? `${label} (${all.length} of them)` : label));
  });
  protected readonly standing = standing;
  protected readonly counted = counted;
  protected readonly openNeeds = openNeeds;

  constructor() {
    effect(() => {
      for (const id of this.wanted()) void this.load(id);
    });
  }

  protected pick(id: string): void {
    this.picked.set(this.current()?.id === id ? null : id);
  }
  protected took(id: string, fit: FitReply): void {
    this.read.update((known) => ({ ...known, [id]: fit }));
    // On to the next one by itself, once nothing is open here.
    if (openNeeds(fit).length === 0) this.picked.set(null);
  }
  protected setHand(key: string, text: string): void {
    this.hands.update((known) => ({ ...known, [key]: typedNumber(text) }));
  }
  protected isTyped(key: string): boolean {
    return (this.hands()[key] ?? null) !== null;
  }
  /** Asks all that can be asked for their levels at once: one wait for the whole round. */
  protected askAll(): Promise<void> {
    return this.each(this.toAsk().map(({ id }) => ({ id, act: () => this.api.call(provision.askSignal, { params: { id } }) })));
  }
  protected compareAll({ key, of }: SharedReading): Promise<void> {
    const hand = this.hands()[key] ?? 0;
    return this.each(
      of.map(({ node: id, point, tolerance }) => ({
        id,
        act: () => this.api.call(provision.fitCheck, { params: { id }, body: { kind: 'reading', point, hand, tolerance } }),
      })),
    );
  }

  /** One after the other; what one refuses keeps nobody else from it. */
  private async each(works: readonly { id: string; act: () => Promise<FitReply> }[]): Promise<void> {
    this.working.set(true);
    const problems: string[] = [];
    for (const { id, act } of works) {
      try {
        this.took(id, await act());
      } catch (error) {
        problems.push(`${this.known()[id]?.name ?? id}: ${messageOf(error)}`);
      }
    }
    this.said.set(problems.length > 0 ? { text: problems.join(' '), bad: true } : null);
    this.working.set(false);
  }
  private async load(id: string): Promise<void> {
    try {
      const fit = await this.api.call(provision.fit, { params: { id } });
      this.read.update((known) => ({ ...known, [id]: fit }));
    } catch (error) {
      this.said.set({ text: `${id}: ${messageOf(error)}`, bad: true });
    }
  }
}
