import { addressing, networksReply } from '@dewpost/contract';
import { checkCredentials } from '@dewpost/core/network';
import { LiveAnnouncer } from '@angular/cdk/a11y';
import { CdkDrag, CdkDragHandle, CdkDropList, type CdkDragDrop } from '@angular/cdk/drag-drop';
import { ChangeDetectionStrategy, Component, computed, effect, ElementRef, inject, input, output, signal, untracked } from '@angular/core';
import { ReactiveFormsModule, type AbstractControl } from '@angular/forms';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatIcon } from '@angular/material/icon';
import { MatInput } from '@angular/material/input';
import { MatTooltip } from '@angular/material/tooltip';
import { ArrowUp, GripVertical, Plus, X } from 'lucide';
import type * as z from 'zod';
import { Api, ApiError } from '../../data/api';
import { ChangedMeanwhile, differences } from '../../parts/changed-meanwhile';
import { EmptyIsNull } from '../../parts/empty-is-null';
import { useIcons } from '../../parts/icons';
import { saidAbout } from '../../parts/said';
import { addItem, bodyOf, draftOf, moveItem, placeProblem, toFirstProblem, zodForm, type Finding } from '../../parts/zod-forms';
import type { Outcome } from './outcome';

export type NetworksReply = z.output<typeof networksReply>;

/** A list of networks is kept whole; where it was begun from goes along when it is sent. */
const networksForm = addressing.setNetworks.body.omit({ from: true });

/** The networks that nodes are written for, in the order they try them. */
@Component({
  selector: 'dp-networks',
  imports: [
    CdkDrag,
    CdkDragHandle,
    CdkDropList,
    ChangedMeanwhile,
    EmptyIsNull,
    MatButton,
    MatCheckbox,
    MatFormFieldModule,
    MatIcon,
    MatIconButton,
    MatInput,
    MatTooltip,
    ReactiveFormsModule,
  ],
  templateUrl: './networks.html',
  styleUrl: './networks.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Networks {
  private readonly api = inject(Api);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly announcer = inject(LiveAnnouncer);
  readonly kept = input.required<NetworksReply>();
  readonly saved = output<NetworksReply>();
  readonly count = output<number>();
  /** Was something typed that is not kept? */
  readonly unsaved = output<boolean>();

  protected readonly said = saidAbout;
  private readonly sealed = new WeakSet<AbstractControl>();
  protected readonly form = zodForm(networksForm, { networks: [] }, { check: ({ networks }) => this.withoutPassphrase(networks) });
  private readonly draft = draftOf(this.form);
  protected readonly outcome = signal<Outcome | null>(null);
  /** What is worth saying before thirty nodes are written with it; what fails is said by the schema, at the field. */
  protected readonly notes = computed(() =>
    this.draft().networks.map(({ name, passphrase, open }) =>
      checkCredentials(name ?? '', open ? null : (passphrase ?? 'kept as it is')).filter(({ severity }) => severity === 'warn'),
    ),
  );

  /** The version that was begun from; and what somebody else has saved since, beside what was typed. */
  private from = 0;
  protected readonly theirs = signal<NetworksReply | null>(null);
  protected readonly apart = computed(() => {
    const theirs = this.theirs();
    const words = (rows: readonly { name: string | null }[]): string => rows.map(({ name }) => name).join(', then ');
    return theirs === null
      ? []
      : differences({ networks: 'networks, in order' }, { networks: words(this.draft().networks) }, { networks: words(theirs.networks) });
  });

  constructor() {
    useIcons({ 'arrow-up': ArrowUp, grip: GripVertical, plus: Plus, x: X });
    effect(() => {
      const { version, networks } = this.kept();
      untracked(() => this.show(version, networks));
    });
    effect(() => {
      this.count.emit(this.draft().networks.length);
      this.unsaved.emit(this.form.dirty);
    });
  }

  private show(version: number, networks: NetworksReply['networks']): void {
    const list = this.form.controls.networks;
    this.from = version;
    list.clear({ emitEvent: false });
    for (const { name, open, hidden } of networks) {
      const row = addItem(list, { name, passphrase: null, open, hidden });
      if (!open) this.sealed.add(row);
    }
    this.form.updateValueAndValidity();
    this.form.markAsPristine();
  }
  /** Only a network whose passphrase is kept already may be sent without. */
  private withoutPassphrase(networks: readonly { passphrase: string | null; open?: boolean | null }[]): Finding[] {
    return networks.flatMap(({ passphrase, open }, i) =>
      passphrase === null && !open && !this.sealed.has(this.form.controls.networks.at(i))
        ? [{ path: ['networks', i, 'passphrase'], message: 'needed' }]
        : [],
    );
  }
  protected isSealed(row: AbstractControl): boolean {
    return this.sealed.has(row);
  }
  protected add(): void {
    addItem(this.form.controls.networks, { name: '', passphrase: '', open: false, hidden: false });
    this.form.markAsDirty();
  }
  /** An open network has no passphrase: what was typed goes, and none is asked for. */
  protected opened(row: { controls: { passphrase: AbstractControl } }, open: boolean): void {
    row.controls.passphrase.setValue(open || this.sealed.has(row as unknown as AbstractControl) ? null : '');
  }
  protected drop(i: number): void {
    this.form.controls.networks.removeAt(i);
    this.form.markAsDirty();
  }
  protected dropped({ previousIndex, currentIndex }: CdkDragDrop<unknown>): void {
    if (previousIndex !== currentIndex) this.move(previousIndex, currentIndex);
  }
  protected move(from: number, to: number, handle?: EventTarget | null): void {
    const list = this.form.controls.networks;
    if (to < 0 || to >= list.length) return;
    moveItem(list, from, to);
    void this.announcer.announce(`${list.at(to).controls.name.value ?? ''}: place ${to + 1} of ${list.length}`);
    if (handle instanceof HTMLElement) setTimeout(() => handle.focus());
  }
  protected onHandle(event: KeyboardEvent, i: number): void {
    const to = event.key === 'ArrowUp' ? i - 1 : event.key === 'ArrowDown' ? i + 1 : null;
    if (to === null) return;
    event.preventDefault();
    this.move(i, to, event.currentTarget);
  }
  protected async save(): Promise<void> {
    const body = bodyOf(this.form, networksForm);
    if (!body) {
      toFirstProblem(this.host);
      return;
    }
    try {
      this.saved.emit(await this.api.call(addressing.setNetworks, { body: { from: this.from, ...body } }));
      this.outcome.set({ text: 'Kept. Nodes written from now on try them in this order.', bad: false });
    } catch (error) {
      const current = error instanceof ApiError ? networksReply.safeParse(error.current) : null;
      if (current?.success) {
        this.theirs.set(current.data);
        return;
      }
      const left = placeProblem(this.form, error);
      this.outcome.set({ text: left ?? 'Not kept: see the fields.', bad: true });
      toFirstProblem(this.host);
    }
  }
  protected takeTheirs(theirs: NetworksReply): void {
    this.theirs.set(null);
    this.saved.emit(theirs);
  }
  protected saveMine(theirs: NetworksReply): void {
    this.theirs.set(null);
    this.from = theirs.version;
    void this.save();
  }
}
