import { namedPlaceSchema, type NamedPlace } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { type FormGroupDirective, ReactiveFormsModule } from '@angular/forms';
import { MatAutocompleteModule } from '@angular/material/autocomplete';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { Store } from '@ngrx/store';
import { placeFeature } from '../data/reducers';
import { bodyOf, draftOf, placeProblem, saying, zodForm } from '../parts/zod-forms';

const NONE = { name: '', room: '' };

/** Makes something in two fields, its name and its room. What is refused stands at its field, and what was typed stays. */
@Component({
  selector: 'dp-named-place',
  imports: [MatAutocompleteModule, MatButton, MatFormFieldModule, MatInput, ReactiveFormsModule],
  template: `<form #made="ngForm" [formGroup]="form" (ngSubmit)="send(made)">
    <p class="lead"><ng-content /></p>
    @if (said(); as text) {
      <p class="said" role="alert">{{ text }}</p>
    }
    <mat-form-field>
      <mat-label>Name</mat-label>
      <input matInput [id]="prefix() + '-name'" formControlName="name" maxlength="60" autocomplete="off" [placeholder]="placeholder()" />
      <mat-error>{{ problemOf(form.controls.name) }}</mat-error>
    </mat-form-field>
    <mat-form-field>
      <mat-label>Room</mat-label>
      <input matInput [id]="prefix() + '-room'" formControlName="room" maxlength="60" autocomplete="off" [matAutocomplete]="rooms" />
      <mat-autocomplete #rooms="matAutocomplete">
        @for (room of matching(); track room.slug) {
          <mat-option [value]="room.name">{{ room.name }}</mat-option>
        }
      </mat-autocomplete>
      <mat-error>{{ problemOf(form.controls.room) }}</mat-error>
    </mat-form-field>
    <button matButton="filled" type="submit">{{ submit() }}</button>
    @if (cancellable()) {
      <button matButton="outlined" type="button" (click)="cancelled.emit()">Cancel</button>
    }
  </form>`,
  styles: `
    form {
      display: flex;
      flex-wrap: wrap;
      align-items: start;
      gap: 12px;
      padding: 14px 16px 10px 56px;
    }
    .lead,
    .said {
      width: 100%;
    }
    mat-form-field {
      width: 190px;
    }
    button {
      margin-top: 4px;
    }
    @media (max-width: 899px) {
      form {
        padding: 12px 16px;
      }
      mat-form-field {
        width: 100%;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class NamedPlaceForm {
  /** Begins the ids of its fields. */
  readonly prefix = input.required<string>();
  readonly placeholder = input('');
  readonly submit = input.required<string>();
  readonly cancellable = input(false);
  /** Makes it; what it rejects with is said at the fields. */
  readonly make = input.required<(wanted: NamedPlace) => Promise<void>>();
  readonly cancelled = output<void>();
  private readonly rooms = inject(Store).selectSignal(placeFeature.selectRooms);
  protected readonly said = signal<string | null>(null);
  protected readonly form = zodForm(namedPlaceSchema, NONE);
  private readonly typed = draftOf(this.form);
  protected readonly problemOf = saying(this.form);
  protected readonly matching = computed(() => {
    const wanted = (this.typed().room ?? '').toLowerCase();
    return this.rooms().filter(({ name }) => name.toLowerCase().includes(wanted));
  });

  protected async send(form: FormGroupDirective): Promise<void> {
    const body = bodyOf(this.form, namedPlaceSchema);
    if (!body) return;
    try {
      await this.make()(body);
      // With its being sent: an empty form that nobody has sent says nothing.
      form.resetForm(NONE);
      this.said.set(null);
    } catch (error) {
      this.said.set(placeProblem(this.form, error) ?? 'Not made: see the fields.');
    }
  }
}
