import { Injectable, signal } from '@angular/core';

export type DrawerName = 'handset' | 'mishaps' | 'share';

/** Which drawer lies beside the page; one at a time, and focus goes back to what opened it. */
@Injectable({ providedIn: 'root' })
export class Drawers {
  readonly shown = signal<DrawerName | null>(null);
  private opener: HTMLElement | null = null;

  open(name: DrawerName): void {
    this.opener = document.activeElement instanceof HTMLElement ? document.activeElement : null;
    this.shown.set(name);
  }

  close(): void {
    if (this.shown() === null) return;
    this.shown.set(null);
    this.opener?.focus();
  }

  toggle(name: DrawerName): void {
    if (this.shown() === name) this.close();
    else this.open(name);
  }
}
