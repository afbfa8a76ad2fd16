import type { Material } from '@dewpost/core/site-plan';

interface Stroke {
  readonly stroke: string;
  readonly width: number;
  readonly dash: string | null;
}

/** How a wall of a pattern is drawn at a width in points. */
export function wallStrokes(pattern: Material['pattern'], width: number): Stroke[] {
  const line = (stroke: string, wide: number, dash: string | null = null): Stroke => ({ stroke: `var(--${stroke})`, width: wide, dash });
  switch (pattern) {
    case 'rubble':
      return [
        line('ink', width),
        line('panel', width - 2),
        line('ink-2', Math.max(1, width / 3), '3 4'),
        line('panel', Math.max(0.5, width / 3 - 1.6), '1.6 5.4'),
      ];
    case 'core':
      return [line('ink', width), line('panel', Math.max(1, width * 0.28), '4 2')];
    case 'double':
      return [line('ink', width), line('panel', Math.max(1, width - 2))];
    case 'ticked':
      return [line('ink', 1), line('ink', width, '1 5')];
    case 'plain':
      return [line('ink', Math.max(2, width / 2))];
    case 'filled':
      return [line('ink', width), line('ink-2', Math.max(1, width - 2))];
  }
}
