import type { Provider } from '@angular/core';
import { ErrorStateMatcher, MAT_RIPPLE_GLOBAL_OPTIONS } from '@angular/material/core';
import { MAT_FORM_FIELD_DEFAULT_OPTIONS, type MatFormFieldDefaultOptions } from '@angular/material/form-field';
import { SaidErrorStateMatcher } from './said';

/** How fields stand everywhere, also on pages outside the door, which do not fetch what dialogs are made of. */
export const formDefaults: Provider[] = [
  {
    provide: MAT_FORM_FIELD_DEFAULT_OPTIONS,
    useValue: {
      appearance: 'outline',
      floatLabel: 'always',
      subscriptSizing: 'dynamic',
      hideRequiredMarker: true,
    } satisfies MatFormFieldDefaultOptions,
  },
  { provide: ErrorStateMatcher, useClass: SaidErrorStateMatcher },
  { provide: MAT_RIPPLE_GLOBAL_OPTIONS, useValue: { disabled: true } },
];
