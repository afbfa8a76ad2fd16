import { counted } from '@dewpost/core/quantity';
import { LISTEN_RATES, type LineEnd } from '@dewpost/core/listen';
import { CdkVirtualScrollViewport, ScrollingModule } from '@angular/cdk/scrolling';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  inject,
  linkedSignal,
  resource,
  signal,
  untracked,
  viewChild,
  type ElementRef,
} from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { messageOf } from '../../data/api';
import { placeFeature } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { download } from '../../parts/download-file';
import { timeOfDay } from '../../parts/times';
import { StandinsApi } from '../../shell/standins-api';
import { openStandinPort } from '../bench/standin-port';
import { chooseSerialDevice, hasWebSerial, openSerialDevice } from '../bench/web-serial-port';
import { ProvisionPages } from '../provision-pages';
import { Listener, MOST_LINES } from './listener';
import { asText, linesWith, rowsOf, type ListenRow } from './listen-rows';

const ENDS: readonly (readonly [LineEnd, string])[] = [
  ['any', 'any line end'],
  ['lf', 'LF'],
  ['cr', 'CR'],
  ['crlf', 'CR LF'],
];
const TIMES = [
  ['since', 'since it began'],
  ['clock', 'of the day'],
  ['none', 'no times'],
] as const;
/** Below that share of text another rate is likelier. */
const READABLE = 0.75;
const USUAL_RATE = 115_200;

/** Listens at the serial port of any board: what it says, and what that means where it is known. */
@Component({
  selector: 'dp-listen-page',
  imports: [MatButton, MatFormFieldModule, MatInput, MatSelectModule, ProvisionPages, RouterLink, ScrollingModule],
  templateUrl: './listen-page.html',
  styleUrl: './listen-page.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ListenPage {
  private readonly standins = inject(StandinsApi);
  private readonly store = inject(Store);
  protected readonly listener = new Listener();
  protected readonly rates = LISTEN_RATES;
  protected readonly ends = ENDS;
  protected readonly timesShown = TIMES;
  protected readonly counted = counted;
  protected readonly most = MOST_LINES;
  protected readonly hasSerial = hasWebSerial();
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly status = this.store.selectSignal(placeFeature.selectStatus);
  private readonly viewport = viewChild(CdkVirtualScrollViewport);
  private readonly searchField = viewChild<ElementRef<HTMLInputElement>>('search');

  protected readonly ports = resource({
    params: () => (this.status()?.nodePages ? true : undefined),
    loader: () => this.standins.ports(),
  });
  protected readonly rate = signal<number>(USUAL_RATE);
  protected readonly end = signal<LineEnd>('any');
  protected readonly times = signal<(typeof TIMES)[number][0]>('since');
  protected readonly words = signal('');
  protected readonly where = signal<string | null>(null);
  protected readonly said = signal<string | null>(null);
  /** What stood when it was paused: what comes meanwhile is kept, and shown when it goes on. */
  protected readonly paused = signal<number | null>(null);
  protected readonly unfolded = linkedSignal<ReadonlySet<number>>(() => (this.where(), new Set()));

  private readonly standing = computed(() => {
    const [lines, paused] = [this.listener.lines(), this.paused()];
    return paused === null ? lines : lines.filter(({ id }) => id <= paused);
  });
  protected readonly waiting = computed(() => this.listener.lines().length - this.standing().length);
  protected readonly found = computed(() => linesWith(this.standing(), this.words()));
  protected readonly rows = computed(() => rowsOf(this.found(), this.unfolded()));
  protected readonly begun = computed(() => this.listener.lines()[0]?.at ?? 0);
  protected readonly open = computed(() => this.listener.state().is === 'open');
  protected readonly lost = computed(() => {
    const state = this.listener.state();
    return state.is === 'lost' ? state.why : null;
  });
  protected readonly unreadable = computed(() => {
    const share = this.listener.readable();
    return share !== null && share < READABLE;
  });

  constructor() {
    inject(DestroyRef).onDestroy(() => this.listener.close());
    effect(() => {
      const count = this.rows().length;
      if (untracked(this.paused) === null && count > 0) requestAnimationFrame(() => this.viewport()?.scrollToIndex(count));
    });
  }

  protected readonly keyOf = (_: number, row: ListenRow): string => row.key;
  protected timeOf(at: number): string {
    if (this.times() === 'clock') return timeOfDay(at, this.zone(), true);
    return ((at - this.begun()) / 1000).toFixed(3);
  }

  /** Listens at a stand-in's port, or at one of this computer that the person chooses. */
  protected async begin(port: number | 'own'): Promise<void> {
    this.said.set(null);
    try {
      if (port === 'own') {
        const device = await chooseSerialDevice();
        if (!device) return;
        this.listener.close();
        this.listener.take(await openSerialDevice(device, this.rate()), this.end());
        this.where.set('a port of this computer');
      } else {
        this.listener.close();
        this.listener.take(await openStandinPort(port, 'listen'), this.end());
        this.where.set(`port ${port}`);
      }
      this.paused.set(null);
    } catch (error) {
      this.said.set(messageOf(error));
    }
    this.ports.reload();
  }
  protected finish(): void {
    this.listener.close();
    this.ports.reload();
  }
  protected async setRate(rate: number): Promise<void> {
    this.rate.set(rate);
    try {
      await this.listener.rate(rate);
    } catch (error) {
      this.said.set(messageOf(error));
    }
  }
  protected nextRate(): Promise<void> {
    const at = LISTEN_RATES.findIndex((rate) => rate === this.rate());
    return this.setRate(LISTEN_RATES[(at + 1) % LISTEN_RATES.length] ?? USUAL_RATE);
  }
  protected setEnd(end: LineEnd): void {
    this.end.set(end);
    this.listener.ends(end);
  }
  protected async restart(): Promise<void> {
    try {
      await this.listener.restart();
    } catch (error) {
      this.said.set(messageOf(error));
    }
  }
  protected pause(): void {
    this.paused.update((before) => (before === null ? (this.listener.lines().at(-1)?.id ?? 0) : null));
  }
  protected unfold(of: number): void {
    this.unfolded.update((before) => {
      const next = new Set(before);
      if (!next.delete(of)) next.add(of);
      return next;
    });
  }
  protected save(): void {
    const name = `listened-${new Date().toISOString().slice(0, 16).replace(/[:T]/g, '-')}.txt`;
    download(name, 'text/plain', asText(this.found()));
  }
  /** Space pauses, a slash goes to the search: where nothing is typed. */
  protected onKey(event: KeyboardEvent): void {
    const typing = event.target instanceof HTMLInputElement;
    if (typing || event.ctrlKey || event.altKey || event.metaKey) return;
    if (event.key === '/') this.searchField()?.nativeElement.focus();
    else if (event.key === ' ' && !(event.target instanceof HTMLButtonElement)) this.pause();
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
}
