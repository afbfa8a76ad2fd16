import { extentOf, type SitePlan, type Spot } from '@dewpost/core/site-plan';
import { signal } from '@angular/core';
import type { View } from './chart-figures';

interface Size {
  readonly width: number;
  readonly height: number;
}

/** Which part of a floor is seen, and how it is moved, made nearer and fitted. */
export class PlanView {
  readonly view = signal<View>({ left: -2, top: -2, scale: 20 });
  private size: Size | null = null;

  /**
   * @param shown what is drawn, `null` before it is read
   * @param around metres left free about it
   * @param assumed points across and down until the sheet has told its size
   */
  constructor(
    private readonly shown: () => { readonly plan: SitePlan; readonly floor: string } | null,
    private readonly around: number,
    private readonly assumed: Size,
  ) {}

  pan([dx, dy]: Spot): void {
    this.view.update((view) => ({ ...view, left: view.left - dx / view.scale, top: view.top - dy / view.scale }));
  }
  step([dx, dy]: Spot): void {
    this.view.update((view) => ({ ...view, left: view.left + dx * 4, top: view.top + dy * 4 }));
  }
  zoom({ factor, at: [px, py] }: { factor: number; at: Spot }): void {
    this.view.update(({ left, top, scale }) => {
      const next = Math.max(0.5, Math.min(400, scale * factor));
      return { left: left + px / scale - px / next, top: top + py / scale - py / next, scale: next };
    });
  }
  /** About the middle of the sheet. */
  zoomBy(factor: number): void {
    const { width, height } = this.size ?? this.assumed;
    this.zoom({ factor, at: [width / 2, height / 2] });
  }
  /** The sheet has told its size; the first time all of the floor is fitted on it. */
  resize(size: Size): void {
    const first = this.size === null;
    this.size = size;
    if (first) this.fit();
  }
  /** All of the floor on the sheet. */
  fit(): void {
    const shown = this.shown();
    if (!shown) return;
    const { left, top, right, bottom } = extentOf(shown.plan, shown.floor);
    const size = this.size ?? this.assumed;
    const [width, height] = [right - left + 2 * this.around, bottom - top + 2 * this.around];
    const scale = Math.min(size.width / width, size.height / height);
    this.view.set({
      left: left - this.around - (size.width / scale - width) / 2,
      top: top - this.around - (size.height / scale - height) / 2,
      scale,
    });
  }
}
