import { Injectable, signal } from '@angular/core';

const KEPT = 'dewpost.theme';

/** Light or dark: as the system has it until the person chooses. */
@Injectable({ providedIn: 'root' })
export class Theme {
  readonly dark = signal(
    localStorage.getItem(KEPT) === null ? matchMedia('(prefers-color-scheme: dark)').matches : localStorage.getItem(KEPT) === 'dark',
  );

  apply(): void {
    document.documentElement.dataset['theme'] = this.dark() ? 'dark' : 'light';
  }

  toggle(): void {
    this.dark.update((dark) => !dark);
    localStorage.setItem(KEPT, this.dark() ? 'dark' : 'light');
    this.apply();
  }
}
