import { ChangeDetectorRef, effect, inject, type Signal } from '@angular/core';
import type { AbstractControl } from '@angular/forms';

/**
 * A field in a component of its own looks again whenever anything of its whole form has changed: what another field makes wrong here would
 * not be said else. To be called where a component is made.
 */
export function looksAgainWithForm(control: Signal<AbstractControl>): void {
  const changes = inject(ChangeDetectorRef);
  effect((onCleanup) => {
    const listening = control().root.events.subscribe(() => changes.markForCheck());
    onCleanup(() => listening.unsubscribe());
  });
}
