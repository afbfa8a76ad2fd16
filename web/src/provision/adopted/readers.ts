import { readers, sources, type Reader } from '@dewpost/contract';
import { counted } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { type FormGroupDirective, ReactiveFormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import * as z from 'zod';
import { Api, messageOf } from '../../data/api';
import { nodeNames } from '../../data/node-names';
import { allPoints, placeFeature } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { PointTicks } from '../../parts/point-ticks';
import { ReadyLines } from '../../parts/ready-lines';
import { dayAndTime } from '../../parts/times';
import { bodyOf, placeProblem, saying, zodForm } from '../../parts/zod-forms';
import { ProvisionPages } from '../provision-pages';

const nameForm = z.object({ name: readers.add.body.shape.name });

/** Reading accounts: a name and a password for other screens and systems, which hear the points they were given and nothing else. */
@Component({
  selector: 'dp-readers',
  imports: [MatButton, MatFormFieldModule, MatInput, PointTicks, ProvisionPages, ReactiveFormsModule, ReadyLines],
  templateUrl: './readers.html',
  styleUrl: './readers.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ReadersPage {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly nameOf = nodeNames();
  protected readonly points = this.store.selectSignal(allPoints.selectAll);
  private readonly pointsById = this.store.selectSignal(allPoints.selectEntities);
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  private readonly way = resource({ loader: () => this.api.call(sources.way, {}) });
  protected readonly list = resource({
    params: () => (this.maker() ? true : undefined),
    loader: () => this.api.call(readers.list, {}),
  });
  protected readonly all = computed<readonly Reader[]>(() => (this.list.hasValue() ? this.list.value() : []));
  protected readonly problem = computed(() => (this.list.error() ? messageOf(this.list.error()) : null));
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  protected readonly made = signal<{ account: string; password: string; topics: readonly string[] } | null>(null);
  protected readonly ending = signal<number | null>(null);
  protected readonly chosen = signal<ReadonlySet<number>>(new Set());
  protected readonly form = zodForm(nameForm, { name: '' });
  protected readonly problemOf = saying(this.form);
  protected readonly counted = counted;
  protected readonly lines = computed(() => {
    const made = this.made();
    if (!made || !this.way.hasValue()) return [];
    const { host, mqttPort } = this.way.value();
    const [topic = 'dp/out/#'] = made.topics.length === 1 ? made.topics : ['dp/out/#'];
    const text = `mosquitto_sub -h ${host} -p ${mqttPort} -u ${made.account} -P "$PASSWORD" -v -t '${topic}'`;
    return [{ title: 'mosquitto_sub', about: 'the newest at once, then each that follows', text }];
  });

  protected at(ms: number): string {
    return dayAndTime(ms, this.zone());
  }
  protected pointsOf(reader: Reader): string {
    return reader.points
      .map((id) => this.pointsById()[id])
      .map((point) => (point ? `${this.nameOf(point.node)}: ${point.label}` : 'a point that is retired'))
      .join('; ');
  }
  protected async make(form: FormGroupDirective): Promise<void> {
    const body = bodyOf(this.form, nameForm);
    if (!body) return;
    if (this.chosen().size === 0) {
      this.said.set({ text: 'Choose at least one point that it may hear.', bad: true });
      return;
    }
    try {
      this.made.set(await this.api.call(readers.add, { body: { ...body, points: [...this.chosen()] } }));
      this.chosen.set(new Set());
      form.resetForm({ name: '' });
      this.said.set(null);
      this.list.reload();
    } catch (error) {
      this.said.set({ text: placeProblem(this.form, error) ?? 'Not made: see the field.', bad: true });
    }
  }
  protected async end(id: number): Promise<void> {
    try {
      await this.api.call(readers.remove, { params: { id } });
      this.said.set({ text: 'Ended: it is cut off, and its password is worthless.', bad: false });
      this.list.reload();
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
    }
    this.ending.set(null);
  }
}
