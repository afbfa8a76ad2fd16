import type { Point } from '@dewpost/contract';
import { usualSide } from '@dewpost/core/alarm';
import { effect, type Signal } from '@angular/core';
import type { AbstractControl } from '@angular/forms';

/** Puts a new rule on the side on which its point's quantity harms, until somebody has chosen one. */
export function beginsOnItsSide(side: AbstractControl<'high' | 'low' | null>, point: Signal<Point | null>): void {
  effect(() => {
    const chosen = point();
    if (chosen && side.pristine) side.setValue(usualSide({ ...chosen, ...chosen.calibratesTo }));
  });
}
