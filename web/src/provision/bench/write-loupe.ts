import { formatDuration, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { Clock } from '../../parts/clock';
import type { Job } from './job';

/** Width of the staff that a step is opened into, px. */
const WIDTH = 470;
const TICKS = 5;

const mega = (bytes: number): string => `${formatNumber(bytes / (1024 * 1024), bytes % (1024 * 1024) === 0 ? 0 : 1)} MB`;
const kilo = (bytes: number): string => `${formatNumber(bytes / 1024, 0)} kB`;

/** Opens what takes time at the bench into a staff of its own: erasing against the clock, writing byte by byte, and what the chip then proved. */
@Component({
  selector: 'dp-write-loupe',
  template: `
    @if (staff(); as of) {
      <p>
        <b>{{ of.title }}</b> <span class="quiet">{{ of.words }}</span>
      </p>
      <svg [attr.width]="width + 40" height="40" [attr.viewBox]="'-16 0 ' + (width + 40) + ' 40'" aria-hidden="true">
        @for (part of of.parts; track $index) {
          <rect
            [attr.x]="part.x"
            y="8"
            [attr.width]="part.width"
            height="14"
            [attr.fill]="part.configuration ? 'url(#hatch-0)' : 'var(--lease)'"
            stroke="var(--ink-2)"
          />
        }
        <path [attr.d]="'M0 22H' + width" stroke="var(--ink-2)" stroke-width="1.1" />
        @for (tick of of.ticks; track tick.x) {
          <path [attr.d]="'M' + tick.x + ' 22v5'" stroke="var(--ink-2)" />
          <text class="figure" [attr.x]="tick.x" y="38" text-anchor="middle">{{ tick.text }}</text>
        }
        @if (of.at !== null) {
          <rect x="0" y="20.5" [attr.width]="of.at" height="3" fill="var(--spruce)" />
          <path [attr.d]="'M' + (of.at - 6) + ' 2h12l-6 18.5Z'" fill="var(--ink)" />
        }
        @if (of.post) {
          <rect [attr.x]="width - 2" y="4" width="4" height="18" fill="var(--carmine)" />
        }
      </svg>
    }
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: 166px 1fr;
      align-items: start;
      padding: 4px 0 8px 56px;
      overflow-x: auto;
    }
    b {
      display: block;
    }
    span,
    b {
      font-size: 12px;
    }
    @media (max-width: 899px) {
      :host {
        grid-template-columns: 1fr;
        padding-left: 12px;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class WriteLoupe {
  private readonly clock = inject(Clock);
  readonly job = input.required<Job>();
  protected readonly width = WIDTH;
  protected readonly staff = computed(() => loupeOf(this.job(), this.clock.now()));
}

interface Staff {
  readonly title: string;
  readonly words: string;
  /** The notch, px; `null`: nothing moves. */
  readonly at: number | null;
  readonly ticks: readonly { readonly x: number; readonly text: string }[];
  /** A post at the end: from there on it is stuck. */
  readonly post: boolean;
  readonly parts: readonly { readonly x: number; readonly width: number; readonly configuration: boolean }[];
}

const ticksTo = (most: number, text: (value: number) => string): Staff['ticks'] =>
  Array.from({ length: TICKS + 1 }, (_, i) => ({ x: (WIDTH * i) / TICKS, text: text((most * i) / TICKS) }));

/** What is opened of a job; `null`: nothing that takes time is under way. `now` in ms. */
export function loupeOf({ step, erasing, written, rate, left, flash }: Job, now: number): Staff | null {
  if (erasing) {
    const share = Math.min(1, Math.max(0, now - erasing.since) / erasing.longestMs);
    return {
      title: 'Erasing',
      words: `the chip is silent meanwhile: leave it; stuck after ${formatDuration(erasing.longestMs)}`,
      at: share * WIDTH,
      ticks: ticksTo(erasing.longestMs / 1000, (seconds) => formatNumber(seconds, Number.isInteger(seconds) ? 0 : 1)),
      post: true,
      parts: [],
    };
  }
  if (step === 'write' && rate !== null && left !== null) {
    const seconds = left / Math.max(0.001, 1 - written);
    return {
      title: 'Writing',
      words: `${formatNumber(rate / 1000, 0)} kB/s, ${formatDuration(left * 1000)} left`,
      at: written * WIDTH,
      ticks: ticksTo(seconds, (value) => `${formatNumber(value, seconds < 10 ? 1 : 0)} s`),
      post: false,
      parts: [],
    };
  }
  if (!flash || !['digest', 'configure', 'join', 'contact'].includes(step)) return null;
  const x = (bytes: number): number => (WIDTH * bytes) / flash.bytes;
  const configuration = flash.configuration ? [{ ...flash.configuration, configuration: true }] : [];
  const largest = [...flash.parts].sort((a, b) => b.bytes - a.bytes)[0];
  return {
    title: step === 'digest' ? 'Being proved by the chip' : 'Proved by the chip',
    words: `MD5 of ${flash.parts.length} parts${largest ? `, the largest ${largest.file}, ${kilo(largest.bytes)}` : ''}${
      flash.configuration ? `; configuration, ${kilo(flash.configuration.bytes)}, hatched` : ''
    }`,
    at: null,
    ticks: Array.from({ length: 5 }, (_, i) => ({ x: (WIDTH * i) / 4, text: mega((flash.bytes * i) / 4) })),
    post: false,
    parts: [...flash.parts.map((part) => ({ ...part, configuration: false })), ...configuration].map((part) => ({
      x: x(part.at),
      // However small: it is there.
      width: Math.max(2, x(part.bytes)),
      configuration: part.configuration,
    })),
  };
}
