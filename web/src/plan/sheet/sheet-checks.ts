import type { Check } from '@dewpost/core/circuit';
import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatExpansionModule } from '@angular/material/expansion';
import { SheetDesk } from './sheet-desk';

/** The checks of the sheet in hand, those that fail first, with their fixes. */
@Component({
  selector: 'dp-sheet-checks',
  imports: [MatButton, MatExpansionModule],
  template: `
    <h2 id="checks-title">
      Checks <span class="quiet" role="status">{{ fails() }} fail, {{ wrong().length - fails() }} warn, {{ passed().length }} pass</span>
    </h2>
    @for (check of wrong(); track $index) {
      <div class="check" [class]="check.verdict">
        <svg width="14" height="14" viewBox="0 0 14 14" aria-hidden="true">
          @if (check.verdict === 'fail') {
            <path d="M2 2 12 12M12 2 2 12" stroke="currentColor" stroke-width="2.4" fill="none" />
          } @else {
            <path d="M0 13V9H5V5H10V13Z" fill="currentColor" />
          }
        </svg>
        <div>
          <b
            ><span class="out-of-sight">{{ mark(check) }}: </span>{{ check.title }}</b
          >
          <p class="figures mono">
            {{ check.figure }}
            @if (check.limit) {
              <span class="quiet"> · {{ check.limit }}</span>
            }
          </p>
          <p>{{ check.reason }}</p>
          @if (check.fix; as fix) {
            <button matButton="filled" class="small" type="button" (click)="desk.replace(fix.draft)">{{ fix.label }}</button>
          }
          @if (check.reminder) {
            <button matButton="outlined" class="small" type="button" (click)="desk.seenTo(check, true)">Seen to</button>
          }
        </div>
      </div>
    }
    <mat-expansion-panel class="passed">
      <mat-expansion-panel-header>{{ passed().length }} passed</mat-expansion-panel-header>
      <ng-template matExpansionPanelContent>
        @for (check of passed(); track $index) {
          <div class="check pass">
            <svg width="14" height="14" viewBox="0 0 14 14" aria-hidden="true">
              <path d="M1.5 7.5 5.5 11.5 12.5 3" stroke="currentColor" stroke-width="2" fill="none" />
            </svg>
            <div>
              <b>{{ check.title }}</b>
              <p class="figures mono">
                {{ check.figure }}
                @if (check.limit) {
                  <span class="quiet"> · {{ check.limit }}</span>
                }
              </p>
              @if (check.reminder) {
                <button matButton="outlined" class="small" type="button" (click)="desk.seenTo(check, false)">Not yet</button>
              }
            </div>
          </div>
        }
      </ng-template>
    </mat-expansion-panel>
  `,
  styleUrl: './pane-head.scss',
  styles: `
    .check {
      display: grid;
      grid-template-columns: 14px minmax(0, 1fr);
      gap: 10px;
      padding: 9px 12px;
      border-bottom: 1px solid var(--hair);
      font-size: 12.5px;
      > svg {
        margin-top: 3px;
      }
      .figures {
        font-size: 11px;
        line-height: 16px;
        font-stretch: 78%;
      }
      button {
        margin: 6px 6px 0 0;
      }
      &.fail {
        background: var(--carmine-w);
        box-shadow: inset 3px 0 var(--carmine);
        > svg,
        b {
          color: var(--carmine);
        }
      }
      &.warn {
        > svg,
        b {
          color: var(--rust);
        }
      }
      &.pass > svg {
        color: var(--spruce);
      }
    }
    .passed mat-expansion-panel-header {
      padding-left: 12px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SheetChecks {
  protected readonly desk = inject(SheetDesk);
  protected readonly wrong = computed(() => this.desk.checks().filter(({ verdict }) => verdict !== 'pass'));
  protected readonly passed = computed(() => this.desk.checks().filter(({ verdict }) => verdict === 'pass'));
  protected readonly fails = computed(() => this.wrong().filter(({ verdict }) => verdict === 'fail').length);
  protected mark({ verdict }: Check): string {
    return verdict === 'fail' ? 'Fails' : 'Warns';
  }
}
