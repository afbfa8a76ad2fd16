import { Injectable, signal } from '@angular/core';

/** The time, in seconds' steps, for ages and countdowns; one timer for the whole page. */
@Injectable({ providedIn: 'root' })
export class Clock {
  readonly now = signal(Date.now());
  constructor() {
    setInterval(() => this.now.set(Date.now()), 1000);
  }
}
