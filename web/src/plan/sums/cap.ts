import { formatNumber } from '@dewpost/core/quantity';
import { againstCap, type Sender } from '@dewpost/core/traffic';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import * as z from 'zod';
import { NumberField } from '../../parts/number-field';
import { lastValid, zodForm } from '../../parts/zod-forms';

const count = z.number().int().min(1).max(1e6);
const schema = z.object({ posts: count, windowMinutes: z.number().min(1).max(100_000), points: count, bytes: count });

/** Whether a receiving service with a cap on posts takes what all nodes send. */
@Component({
  selector: 'dp-cap',
  imports: [NumberField],
  template: `
    <h2>A receiving service with a cap</h2>
    <p class="asks">
      <dp-number-field label="Posts" [control]="form.controls.posts" [min]="1" />
      <dp-number-field label="in" unit="min" [control]="form.controls.windowMinutes" [min]="1" />
      <dp-number-field label="Points a post" [control]="form.controls.points" [min]="1" />
      <dp-number-field label="Bytes a post" [control]="form.controls.bytes" [min]="1" />
    </p>
    <p [class.wrong]="!cap().fits">
      <b>{{ cap().fits ? 'Within the cap' : 'Over the cap' }}</b>: {{ number(cap().posts) }} posts of {{ number(typed().posts) }} in
      {{ number(typed().windowMinutes) }} min. {{ slower() }}
    </p>
    <p [class.wrong]="!cap().largestFits">
      <b>{{ cap().largestFits ? 'Posts fit' : 'A post is too large' }}</b>: the largest has {{ number(cap().largestBytes) }} of
      {{ number(typed().bytes) }} bytes.
    </p>
    <p [class.wrong]="!cap().pointsFit">
      <b>{{ cap().pointsFit ? 'Points fit' : 'Too many points in a post' }}</b>: the most has {{ cap().mostPoints }} of
      {{ number(typed().points) }}.
      {{ cap().pointsFit ? '' : 'Split the node’s points over two posts, which count twice.' }}
    </p>
  `,
  styleUrl: './part.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Cap {
  readonly senders = input.required<readonly Sender[]>();
  protected readonly form = zodForm(schema, { posts: 100, windowMinutes: 15, points: 8, bytes: 1000 });
  protected readonly typed = lastValid(this.form, schema);
  protected readonly cap = computed(() => {
    const { windowMinutes, ...rest } = this.typed();
    return againstCap(this.senders(), { ...rest, windowSeconds: windowMinutes * 60 });
  });
  protected readonly slower = computed(() => {
    const { fits, slowestFactor } = this.cap();
    if (fits) return '';
    if (!slowestFactor) return 'There are more nodes than posts: gather them into fewer.';
    return `Report ${formatNumber(slowestFactor, slowestFactor % 1 === 0 ? 0 : 2)} times less often, or gather readings into fewer posts.`;
  });
  protected number(value: number): string {
    return formatNumber(value, 0);
  }
}
