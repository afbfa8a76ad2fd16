import type { Capture, Law, Recipe, RecipeFigure, RecipeStep } from '@dewpost/core/calibration';
import { ChangeDetectionStrategy, Component, computed, effect, input, model, output, signal, untracked } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatStepperModule } from '@angular/material/stepper';
import { NgTemplateOutlet } from '@angular/common';
import { typedNumber } from '../parts/typed-number';

/** What a sensor says, and whether it has settled. */
export interface Settled {
  readonly settled: boolean;
  readonly mean: number;
  readonly spread: number;
}

/** The place of what is asked for a law, before the first step. */
const LAW = -1;

/** Leads through the captures of a recipe, one after the other: what to do with the hand, what the reference is then, and the capture itself. */
@Component({
  selector: 'dp-recipe-steps',
  imports: [MatButton, MatFormFieldModule, MatInput, MatStepperModule, NgTemplateOutlet],
  templateUrl: './recipe-steps.html',
  styles: `
    :host {
      display: block;
      max-width: 640px;
    }
    .figures,
    .acts {
      display: flex;
      flex-wrap: wrap;
      gap: 12px;
      align-items: center;
      padding: 8px 0;
    }
    .figures mat-form-field {
      width: 224px;
    }
    @media (max-width: 899px) {
      .acts .big {
        width: 100%;
        min-height: 64px;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RecipeSteps {
  readonly recipe = input.required<Recipe>();
  readonly settled = input.required<Settled | null>();
  /** The unit of the point, for figures that have its own. */
  readonly unit = input.required<string>();
  /** What its node sends, where that is another unit. */
  readonly rawUnit = input('');
  /** A value in words. */
  readonly shown = input.required<(value: number) => string>();
  readonly captures = model.required<readonly Capture[]>();
  /** The law that it follows, once everything is said that it hangs on. */
  readonly law = output<Law | null>();
  private readonly typed = signal<Readonly<Record<string, number | null>>>({});
  /** What a counter said when its step began. */
  protected readonly begun = signal<number | null>(null);
  /** Pressed before it had settled: captured by itself. */
  protected readonly waits = signal(false);
  protected readonly at = computed(() => Math.min(this.captures().length, this.recipe().steps.length - 1));

  constructor() {
    effect(() => {
      this.recipe();
      untracked(() => {
        this.typed.set({});
        this.begun.set(null);
        this.waits.set(false);
      });
    });
    effect(() => this.law.emit(this.lawNow()));
    effect(() => {
      const ready = this.waits() && this.settled()?.settled;
      if (ready) untracked(() => this.capture());
    });
  }

  private readonly lawNow = computed((): Law | null => {
    const law = this.recipe().law;
    const figures = law ? this.figuresOf(LAW, law.figures) : null;
    return law && figures ? law.of(figures) : null;
  });

  protected readonly ofLaw = LAW;
  /** Figures that were given, by their names; `null`: one is missing, or cannot be. */
  private figuresOf(step: number, asked: readonly RecipeFigure[]): Readonly<Record<string, number>> | null {
    const given = asked.flatMap((figure) => {
      const value = this.given(step, figure);
      return value === null || this.isOutside(step, figure) ? [] : [[figure.name, value] as const];
    });
    return given.length < asked.length ? null : Object.fromEntries(given);
  }
  protected given(step: number, { name, usual }: RecipeFigure): number | null {
    const typed = this.typed()[`${step} ${name}`];
    return typed === undefined ? usual : typed;
  }
  protected isOutside(step: number, figure: RecipeFigure): boolean {
    const value = this.given(step, figure);
    return value !== null && (value < figure.min || value > figure.max);
  }
  protected take(step: number, { name }: RecipeFigure, text: string): void {
    this.typed.update((before) => ({ ...before, [`${step} ${name}`]: typedNumber(text) }));
  }
  /** What the reference of a step is; `null`: something has to be said first. */
  protected reference(index: number): { value: number } | null {
    const step: RecipeStep | undefined = this.recipe().steps[index];
    if (!step) return null;
    const given = this.figuresOf(index, step.figures);
    const value = given && step.reference(given);
    return value === null || !Number.isFinite(value) ? null : { value };
  }
  protected begin(): void {
    this.begun.set(this.settled()?.mean ?? null);
  }
  protected press(): void {
    if (this.settled()?.settled) this.capture();
    else this.waits.set(true);
  }
  protected back(): void {
    this.captures.update((before) => before.slice(0, -1));
  }
  private capture(): void {
    const index = this.captures().length;
    const [settled, reference] = [this.settled(), this.reference(index)];
    this.waits.set(false);
    if (!settled || !reference) return;
    const raw = settled.mean - (this.recipe().steps[index]?.counts ? (this.begun() ?? 0) : 0);
    this.begun.set(null);
    this.captures.update((before) => [...before, { raw, reference: reference.value }]);
  }
}
