import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { MatIcon } from '@angular/material/icon';
import { MatMenuModule } from '@angular/material/menu';
import { ChevronDown } from 'lucide';
import { useIcons } from '../../parts/icons';
import { FIRST_DEVICE } from './board-ports';
import { hasWebSerial } from './web-serial-port';
import { Writer } from './writer';

/** At which port the board of a node is plugged in: shown, and chosen. */
@Component({
  selector: 'dp-bench-port',
  imports: [MatIcon, MatMenuModule],
  template: `
    <button
      class="pick"
      type="button"
      [matMenuTriggerFor]="ports"
      (menuOpened)="look()"
      [attr.aria-label]="'Port of ' + node() + ': ' + words()"
    >
      {{ words() }}<mat-icon class="of-16" svgIcon="port-choice" />
    </button>
    <mat-menu #ports="matMenu">
      <button mat-menu-item type="button" (click)="choose(null)">Any port that is free</button>
      @for (port of choices(); track port.id) {
        <button mat-menu-item type="button" [disabled]="port.whose !== null" (click)="choose(port.id)">
          Port {{ port.id }}{{ port.whose === null ? '' : ', the board of ' + port.whose }}
        </button>
      }
      @if (serial) {
        <button mat-menu-item type="button" (click)="ownPort.emit(node())">A port of this computer</button>
      }
    </mat-menu>
  `,
  styles: `
    .pick {
      display: inline-flex;
      align-items: center;
      gap: 2px;
      font-size: 12px;
      color: var(--ink-2);
      border-bottom: 1px dashed var(--rule);
    }
    @media (max-width: 899px) {
      .pick {
        min-height: 44px;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class BenchPort {
  private readonly writer = inject(Writer);
  readonly node = input.required<string>();
  /** A port of this computer is wanted for it: the browser asks which. */
  readonly ownPort = output<string>();
  readonly failed = output<unknown>();
  protected readonly serial = hasWebSerial();
  protected readonly words = computed(() => {
    const port = this.writer.boardAt().get(this.node());
    if (port === undefined) return 'any port';
    return port >= FIRST_DEVICE ? 'own port' : `port ${port}`;
  });
  /** A port at which another node's board sits is no choice: writing it would make one board two nodes. */
  protected readonly choices = computed(() => {
    const whose = new Map([...this.writer.boardAt()].map(([node, port]) => [port, node]));
    return this.writer.ports().map((id) => ({ id, whose: whose.get(id) === this.node() ? null : (whose.get(id) ?? null) }));
  });

  constructor() {
    useIcons({ 'port-choice': ChevronDown });
  }
  protected look(): void {
    this.writer.lookAtPorts().catch((error: unknown) => this.failed.emit(error));
  }
  protected choose(port: number | null): void {
    this.writer.choosePort(this.node(), port).catch((error: unknown) => this.failed.emit(error));
  }
}
