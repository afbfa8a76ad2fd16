import { followers, type Follower } from '@dewpost/contract';
import { LAMP_COLOURS, MOST_SHOWN_LETTERS, type LampColour } from '@dewpost/core/wire';
import { ChangeDetectionStrategy, Component, computed, inject, input, resource, signal } from '@angular/core';
import { type FormControl, ReactiveFormsModule, type FormGroupDirective } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import * as z from 'zod';
import { Api, messageOf } from '../../data/api';
import { nodeNames } from '../../data/node-names';
import { allNodes, allPoints, allThresholds } from '../../data/reducers';
import { bodyOf, placeProblem, saying, zodForm } from '../../parts/zod-forms';
import { ruleTitle } from '../rule/rule-words';

const text = z.string().trim().max(MOST_SHOWN_LETTERS);
const form = z.object({
  node: z.string().min(1, 'choose a node'),
  threshold: z.number('choose a rule'),
  beyondLight: z.enum(LAMP_COLOURS),
  beyondText: text,
  otherwiseLight: z.enum(LAMP_COLOURS),
  otherwiseText: text,
});
const NONE = { node: '', threshold: null, beyondLight: 'red', beyondText: '', otherwiseLight: 'green', otherwiseText: '' } as const;

/** Lamps and displays of nodes that follow a rule: one look while it stands in alarm, another otherwise, dark where that is not known. */
@Component({
  selector: 'dp-followers',
  imports: [MatButton, MatFormFieldModule, MatInput, MatSelectModule, ReactiveFormsModule],
  template: `
    @for (each of shown(); track each.id) {
      <div class="way">
        <div>
          <b>{{ nameOf(each.node) }}</b> <span class="quiet">{{ each.words }}</span>
          <p>{{ each.now }}</p>
        </div>
        @if (maker()) {
          <button matButton="outlined" class="small" type="button" [disabled]="busy()" (click)="drop(each.id)">
            Take away<span class="out-of-sight"> {{ nameOf(each.node) }}</span>
          </button>
        }
      </div>
    } @empty {
      <p class="quiet">{{ list.isLoading() ? 'Reading them' : 'None yet.' }}</p>
    }
    @if (problem(); as words) {
      <p class="said" role="alert">{{ words }}</p>
    }
    @if (maker() && free().length > 0 && rules().length > 0) {
      <form #whole="ngForm" [formGroup]="wanted" (ngSubmit)="add(whole)">
        <mat-form-field>
          <mat-label>Lamp or display of</mat-label>
          <mat-select formControlName="node" id="f-node" hideSingleSelectionIndicator>
            @for (node of free(); track node.id) {
              <mat-option [value]="node.id">{{ nameOf(node.id) }}, {{ node.room }}</mat-option>
            }
          </mat-select>
          <mat-error>{{ problemOf(wanted.controls.node) }}</mat-error>
        </mat-form-field>
        <mat-form-field class="wide">
          <mat-label>follows the rule</mat-label>
          <mat-select formControlName="threshold" id="f-rule" hideSingleSelectionIndicator>
            @for (rule of rules(); track rule.id) {
              <mat-option [value]="rule.id">{{ rule.words }}</mat-option>
            }
          </mat-select>
          <mat-error>{{ problemOf(wanted.controls.threshold) }}</mat-error>
        </mat-form-field>
        @for (part of parts; track part.label) {
          <div class="look">
            <mat-form-field class="few">
              <mat-label>{{ part.label }}</mat-label>
              <mat-select [formControl]="control(part.light)" hideSingleSelectionIndicator>
                @for (colour of colours; track colour) {
                  <mat-option [value]="colour">{{ colour }}</mat-option>
                }
              </mat-select>
            </mat-form-field>
            <mat-form-field>
              <mat-label>and shows</mat-label>
              <input
                matInput
                [id]="'f-' + part.text"
                [maxlength]="most"
                autocomplete="off"
                [placeholder]="usual"
                [formControl]="control(part.text)"
              />
            </mat-form-field>
          </div>
        }
        <button matButton="filled" type="submit" [disabled]="busy()">Let it follow</button>
      </form>
    } @else if (maker() && lamps().length === 0) {
      <p class="quiet">No node has said yet that it has a lamp or a display: see docs/node-protocol.md.</p>
    }
    <p class="quiet">
      A lamp goes dark where the rule’s state is not known: a silent node, an old reading, a lost server. Dark is not green. What a node is
      told to say of an alert goes before; it is a convenience, and no protection.
    </p>
  `,
  styleUrl: './ways.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Followers {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly nameOf = nodeNames();
  readonly maker = input(false);
  private readonly nodes = this.store.selectSignal(allNodes.selectAll);
  private readonly points = this.store.selectSignal(allPoints.selectEntities);
  private readonly thresholds = this.store.selectSignal(allThresholds.selectAll);
  protected readonly list = resource({ loader: () => this.api.call(followers.list, {}) });
  private readonly all = computed<readonly Follower[]>(() => (this.list.hasValue() ? this.list.value() : []));
  protected readonly lamps = computed(() => this.nodes().filter(({ says }) => says.includes('light') || says.includes('text')));
  protected readonly free = computed(() => this.lamps().filter(({ id }) => !this.all().some(({ node }) => node === id)));
  protected readonly rules = computed(() =>
    this.thresholds()
      .map(({ id }) => ({ id, words: this.ruleWords(id) }))
      .sort((a, b) => a.words.localeCompare(b.words)),
  );
  protected readonly shown = computed(() =>
    this.all().map(({ id, node, threshold, shows, confirmedAt }) => {
      const now =
        shows === null
          ? 'It was not told yet: it is not connected.'
          : `${colourWords(shows.light)}${shows.text ? `, “${shows.text}”` : ''}`;
      const unsure = shows !== null && confirmedAt === null ? '; it has not said yet that it does' : '';
      return { id, node, words: `follows ${this.ruleWords(threshold)}`, now: now + unsure };
    }),
  );
  protected readonly wanted = zodForm(form, { ...NONE });
  protected readonly problemOf = saying(this.wanted);
  protected readonly problem = signal<string | null>(null);
  protected readonly busy = signal(false);
  protected readonly colours = LAMP_COLOURS;
  protected readonly most = MOST_SHOWN_LETTERS;
  protected readonly usual = '{point} {value} {unit}';
  protected readonly parts = [
    { label: 'Tripped', light: 'beyondLight', text: 'beyondText' },
    { label: 'Otherwise', light: 'otherwiseLight', text: 'otherwiseText' },
  ] as const;

  protected control(name: keyof typeof this.wanted.controls): FormControl {
    return this.wanted.controls[name] as FormControl;
  }
  private ruleWords(id: number): string {
    const rule = this.thresholds().find((one) => one.id === id);
    const point = rule && this.points()[rule.point];
    return rule && point ? `${this.nameOf(point.node)}: ${ruleTitle(rule, point)}` : 'a rule that is gone';
  }
  protected async add(whole: FormGroupDirective): Promise<void> {
    const body = bodyOf(this.wanted, form);
    if (!body) return;
    const { node, threshold, beyondLight, beyondText, otherwiseLight, otherwiseText } = body;
    const beyond = { light: beyondLight, text: beyondText };
    const otherwise = { light: otherwiseLight, text: otherwiseText };
    if (await this.act(() => this.api.call(followers.add, { body: { node, threshold, beyond, otherwise } }))) whole.resetForm({ ...NONE });
  }
  protected drop(id: number): Promise<boolean> {
    return this.act(() => this.api.call(followers.remove, { params: { id } }));
  }
  private async act(work: () => Promise<Follower[]>): Promise<boolean> {
    this.busy.set(true);
    this.problem.set(null);
    try {
      this.list.set(await work());
      return true;
    } catch (error) {
      this.problem.set(placeProblem(this.wanted, error) ?? messageOf(error));
      return false;
    } finally {
      this.busy.set(false);
    }
  }
}

const colourWords = (light: LampColour): string => (light === 'off' ? 'Dark' : `${light.charAt(0).toUpperCase()}${light.slice(1)}`);
