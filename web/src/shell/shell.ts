import { access } from '@dewpost/contract';
import { formatDuration } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, viewChild } from '@angular/core';
import { LiveAnnouncer } from '@angular/cdk/a11y';
import { MatDialog } from '@angular/material/dialog';
import { MatMenu, MatMenuItem, MatMenuTrigger } from '@angular/material/menu';
import { Router, RouterLink, RouterOutlet } from '@angular/router';
import { Store } from '@ngrx/store';
import { ChevronDown } from 'lucide';
import { Api } from '../data/api';
import { LiveActions } from '../data/live.actions';
import { placeFeature } from '../data/reducers';
import { selectOpen, selectTimezone, selectWaiting } from '../data/selectors';
import { Hatches } from '../parts/hatches';
import { Icon } from '../parts/icon';
import { Mark } from '../parts/mark';
import { Clock } from '../parts/clock';
import { Counted } from '../parts/counted';
import { day, timeOfDay } from '../parts/times';
import { Drawers } from './drawers';
import { HandsetDrawer } from './handset-drawer';
import { Acknowledging } from './acknowledging';
import { MishapsDrawer } from './mishaps-drawer';
import { Roster } from './roster';
import { Selection } from './selection';
import { ShortcutsDialog } from './shortcuts-dialog';
import { StageLine, STAGES } from './stage-line';
import { Theme } from '../parts/theme';

const FOLDED = 'dewpost.roster-folded';

/** What stands around every page: stage line, roster, foot line, drawers, shortcuts. */
@Component({
  selector: 'dp-shell',
  imports: [
    Counted,
    HandsetDrawer,
    Hatches,
    Icon,
    Mark,
    MatMenu,
    MatMenuItem,
    MatMenuTrigger,
    MishapsDrawer,
    Roster,
    RouterLink,
    RouterOutlet,
    StageLine,
  ],
  templateUrl: './shell.html',
  host: { '(document:keydown)': 'key($event)' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Shell {
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly api = inject(Api);
  private readonly dialogs = inject(MatDialog);
  private readonly selection = inject(Selection);
  private readonly acknowledging = inject(Acknowledging);
  private readonly clock = inject(Clock);
  protected span(ms: number): string {
    return formatDuration(Math.abs(ms));
  }
  protected readonly drawers = inject(Drawers);
  protected readonly theme = inject(Theme);
  protected readonly place = this.store.selectSignal(placeFeature.selectPlaceState);
  private readonly open = this.store.selectSignal(selectOpen);
  private readonly waiting = this.store.selectSignal(selectWaiting);
  protected readonly folded = signal(localStorage.getItem(FOLDED) === '1');
  protected readonly rosterOpen = signal(false);
  private readonly roster = viewChild(Roster);
  protected readonly down = ChevronDown;
  private readonly zone = this.store.selectSignal(selectTimezone);
  protected readonly siteTime = computed(() => timeOfDay(this.clock.now(), this.zone(), true));
  protected readonly siteDay = computed(() => day(this.clock.now(), this.zone()));
  protected readonly utc = computed(() => timeOfDay(this.clock.now(), 'UTC'));
  protected readonly isUtc = computed(() => this.utc() === timeOfDay(this.clock.now(), this.zone()));

  constructor() {
    this.store.dispatch(LiveActions.pageOpened());
    const announcer = inject(LiveAnnouncer);
    let known: ReadonlySet<number> | null = null;
    // Only alert changes are announced, politely.
    effect(() => {
      const open = this.open();
      if (!this.place().loaded) return;
      if (known) for (const alert of open) if (!known.has(alert.id)) void announcer.announce(`${alert.severity}: ${alert.title}`, 'polite');
      known = new Set(open.map((alert) => alert.id));
    });
  }

  protected fold(): void {
    this.folded.update((folded) => !folded);
    localStorage.setItem(FOLDED, this.folded() ? '1' : '0');
    this.rosterOpen.set(false);
  }

  protected async signOut(): Promise<void> {
    await this.api.call(access.signOut, {}).catch(() => undefined);
    this.store.dispatch(LiveActions.sessionEnded());
  }

  protected shortcuts(): void {
    this.dialogs.open(ShortcutsDialog, { width: '480px', backdropClass: 'scrim', ariaLabelledBy: 'dialog-title' });
  }

  protected key(event: KeyboardEvent): void {
    const target = event.target as HTMLElement;
    if (
      event.ctrlKey ||
      event.metaKey ||
      event.altKey ||
      /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) ||
      this.dialogs.openDialogs.length > 0
    )
      return;
    if (localStorage.getItem('dewpost.shortcuts') === 'off' && event.key !== '?') return;
    const stage = STAGES[Number(event.key) - 1];
    const act: Record<string, () => void> = {
      '/': () => this.roster()?.focusSearch(),
      '[': () => this.fold(),
      j: () => this.roster()?.step(1),
      k: () => this.roster()?.step(-1),
      x: () => this.selection.cursor() !== null && this.selection.toggle(this.selection.cursor() ?? '', true),
      '.': () => void this.acknowledging.acknowledge(this.waiting()[0]),
      '?': () => this.shortcuts(),
      Escape: () => this.drawers.close(),
    };
    if (/^[1-6]$/.test(event.key) && stage) void this.router.navigateByUrl(`/${stage}`);
    else if (act[event.key]) act[event.key]?.();
    else return;
    if (event.key !== 'Escape') event.preventDefault();
  }
}
