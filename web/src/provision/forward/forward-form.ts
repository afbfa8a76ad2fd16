import {
  forwardByPostSchema,
  forwardCapSchema,
  forwards,
  forwardToBrokerSchema,
  type Forward,
  type NewForward,
  type Point,
} from '@dewpost/contract';
import { BODY_TEMPLATES, bodyWithin, fillTemplate, FORWARD_FIELDS, forwardLoad, type ForwardReading } from '@dewpost/core/forward';
import { counted, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatButtonToggle, MatButtonToggleGroup } from '@angular/material/button-toggle';
import { MatExpansionModule } from '@angular/material/expansion';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import * as z from 'zod';
import { Api } from '../../data/api';
import { nodeNames } from '../../data/node-names';
import { allLatest, allNodes } from '../../data/reducers';
import { NumberField } from '../../parts/number-field';
import { PointTicks } from '../../parts/point-ticks';
import { bodyOf, draftOf, placeProblem, saying, zodForm, type Draft } from '../../parts/zod-forms';

const { sends, windowSeconds, records, bytes } = forwardCapSchema.shape;
const cap = z.object({
  sends: sends.unwrap(),
  windowSeconds: windowSeconds.unwrap(),
  records: records.unwrap(),
  bytes: bytes.unwrap(),
});
const common = { name: forwardToBrokerSchema.shape.name, keepHours: forwardToBrokerSchema.shape.keepHours.unwrap(), cap };
const password = z.string().max(2000);
const authority = forwardToBrokerSchema.shape.authority.unwrap();
const brokerForm = z.object({
  ...common,
  url: forwardToBrokerSchema.shape.url,
  user: z.string().max(200),
  password,
  authority,
  topic: forwardToBrokerSchema.shape.topic.unwrap(),
  payload: forwardToBrokerSchema.shape.payload.unwrap(),
});
const postForm = z.object({ ...common, url: forwardByPostSchema.shape.url, password, authority, body: forwardByPostSchema.shape.body });
const CAP = { sends: null, windowSeconds: 900, records: 100, bytes: 100_000 };
const NEW = { name: '', url: '', password: '', authority: '', keepHours: 72, cap: CAP };
const NEW_BROKER: Draft<typeof brokerForm> = { ...NEW, user: '', topic: '{node}/{point}', payload: '{value}' };
const NEW_POST: Draft<typeof postForm> = { ...NEW, body: { ...BODY_TEMPLATES.json } };
/** Readings that are shown as they would go. */
const SHOWN = 3;
const AT_LEAST_SECONDS = 1;

/** What is to be forwarded where, how it is written, and what the receiver takes; with what would go just now. */
@Component({
  selector: 'dp-forward-form',
  imports: [
    MatButton,
    MatButtonToggle,
    MatButtonToggleGroup,
    MatExpansionModule,
    MatFormFieldModule,
    MatInput,
    MatSelectModule,
    NumberField,
    PointTicks,
    ReactiveFormsModule,
  ],
  templateUrl: './forward-form.html',
  styleUrl: './forward-form.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ForwardForm {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly nameOf = nodeNames();
  private readonly latest = this.store.selectSignal(allLatest.selectEntities);
  private readonly nodes = this.store.selectSignal(allNodes.selectEntities);
  readonly points = input.required<readonly Point[]>();
  /** `null`: another one. */
  readonly edits = input<Forward | null>(null);
  readonly kept = output<Forward>();
  readonly closed = output();

  protected readonly kind = signal<NewForward['kind']>('http');
  protected readonly chosen = signal<ReadonlySet<number>>(new Set());
  protected readonly problem = signal<string | null>(null);
  protected readonly busy = signal(false);
  protected readonly broker = zodForm(brokerForm, NEW_BROKER);
  protected readonly post = zodForm(postForm, NEW_POST);
  protected readonly said = saying(this.broker, this.post);
  private readonly brokerDraft = draftOf(this.broker);
  private readonly postDraft = draftOf(this.post);
  protected readonly templates = Object.keys(BODY_TEMPLATES) as (keyof typeof BODY_TEMPLATES)[];
  protected readonly titles = { json: 'JSON objects', senml: 'SenML', lines: 'a line each' };
  protected readonly fields = FORWARD_FIELDS.map((field) => `{${field}}`).join(' ');

  constructor() {
    effect(() => {
      const edits = this.edits();
      untracked(() => this.begin(edits));
    });
  }

  private begin(edits: Forward | null): void {
    if (!edits) return;
    const { settings } = edits;
    this.kind.set(settings.kind);
    this.chosen.set(new Set(edits.points));
    if (settings.kind === 'mqtt') this.broker.reset({ ...settings, password: '' });
    else this.post.reset({ ...settings, password: '' });
  }

  protected take(name: keyof typeof BODY_TEMPLATES): void {
    this.post.controls.body.reset({ ...BODY_TEMPLATES[name] });
    this.post.markAsDirty();
  }

  private readonly readings = computed((): ForwardReading[] => {
    const chosen = this.points().filter(({ id }) => this.chosen().has(id));
    const some = chosen.length > 0 ? chosen : this.points().slice(0, 1);
    return some.slice(0, SHOWN).map(({ id, node, name, label, unit, max }) => {
      const newest = this.latest()[id];
      const room = this.nodes()[node]?.room ?? '';
      return { node, point: name, label, room, unit, value: newest?.value ?? max, at: newest?.at ?? 0, quality: 'good' };
    });
  });

  /** What would go just now. */
  protected readonly sample = computed((): string => {
    const readings = this.readings();
    if (this.kind() === 'mqtt') {
      const { topic, payload } = this.brokerDraft();
      return readings.map((one) => `${fillTemplate(topic ?? '', one, 'topic')}   ${fillTemplate(payload ?? '', one, 'text')}`).join('\n');
    }
    const { contentType, before, record, between, after } = this.postDraft().body;
    const template = {
      contentType: contentType ?? '',
      before: before ?? '',
      record: record ?? '',
      between: between ?? '',
      after: after ?? '',
    };
    return bodyWithin(template, readings, { records: SHOWN, bytes: 10_000 }).body;
  });

  /** What arises against what the receiver takes, in a sentence. */
  protected readonly load = computed((): { text: string; fits: boolean } | null => {
    const draft = this.kind() === 'mqtt' ? this.brokerDraft() : this.postDraft();
    const { sends, windowSeconds, records } = draft.cap;
    const chosen = this.points().filter(({ id }) => this.chosen().has(id));
    if (chosen.length === 0 || windowSeconds === null || windowSeconds < 1) return null;
    const intervals = chosen.map((point) =>
      Math.max(AT_LEAST_SECONDS, point.everySeconds ?? this.nodes()[point.node]?.reportSeconds ?? 900),
    );
    const each = this.kind() === 'mqtt' ? 1 : (records ?? 1);
    const { arise, takes, fits } = forwardLoad(intervals, sends === null || sends < 1 ? null : { sends, windowSeconds }, each);
    const arises = `About ${counted(Math.round(arise), 'reading')} ${Math.round(arise) === 1 ? 'arises' : 'arise'} in ${takes === null ? 'an hour' : `${formatNumber(windowSeconds / 60, 0)} min`}`;
    if (takes === null) return { text: `${arises}; they go as they come.`, fits };
    if (fits) return { text: `${arises}, it takes ${takes}: that fits.`, fits };
    return {
      text: `${arises}, and it takes ${takes}: what is too much waits, and grows too old. Choose fewer points, or let their nodes report less often.`,
      fits,
    };
  });

  protected async keep(): Promise<void> {
    const kind = this.kind();
    const points = [...this.chosen()];
    const body = kind === 'mqtt' ? bodyOf(this.broker, brokerForm) : bodyOf(this.post, postForm);
    if (points.length === 0) this.problem.set('Choose at least one point.');
    if (!body || points.length === 0) return;
    const edits = this.edits();
    // Left empty at a change it stays as it is.
    const { password: typed, ...rest } = body;
    const settings = { kind, ...rest, points, ...(!(edits && typed === '') && { password: typed }) } as NewForward;
    this.busy.set(true);
    this.problem.set(null);
    try {
      const kept = edits
        ? await this.api.call(forwards.change, { params: { id: edits.id }, body: { from: edits.version, settings } })
        : await this.api.call(forwards.add, { body: settings });
      this.kept.emit(kept);
    } catch (error) {
      this.problem.set(placeProblem(kind === 'mqtt' ? this.broker : this.post, error) ?? 'Not kept: see the fields.');
    }
    this.busy.set(false);
  }
}
