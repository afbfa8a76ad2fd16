import { CdkCopyToClipboard } from '@angular/cdk/clipboard';
import { ChangeDetectionStrategy, Component, input, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import type { SourceLine } from './source-lines';

/** Lines that are ready to be copied into a shell or a sketch, each with a button of its own. */
@Component({
  selector: 'dp-ready-lines',
  imports: [CdkCopyToClipboard, MatButton],
  template: `@for (line of lines(); track line.title) {
      <div class="line">
        <div>
          <b>{{ line.title }}</b>
          <p class="quiet">{{ line.about }}</p>
        </div>
        <pre class="mono">{{ line.text }}</pre>
        <button
          matButton="outlined"
          class="small"
          type="button"
          [cdkCopyToClipboard]="line.text"
          (cdkCopyToClipboardCopied)="copied(line.title, $event)"
        >
          Copy<span class="out-of-sight"> {{ line.title }}</span>
        </button>
      </div>
    }
    <p class="quiet" role="status">{{ said() }}</p>`,
  styles: `
    .line {
      display: grid;
      grid-template-columns: 112px minmax(0, 1fr) auto;
      gap: 4px 12px;
      align-items: start;
      padding: 8px 0;
      border-top: 1px solid var(--hair);
      p {
        font-size: 12px;
      }
    }
    pre {
      margin: 0;
      font-size: 11.5px;
      line-height: 18px;
      white-space: pre-wrap;
      overflow-wrap: anywhere;
    }
    @media (max-width: 899px) {
      .line {
        grid-template-columns: minmax(0, 1fr) auto;
        pre {
          grid-column: 1 / 3;
          grid-row: 2;
        }
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ReadyLines {
  readonly lines = input.required<readonly SourceLine[]>();
  protected readonly said = signal('');

  protected copied(title: string, done: boolean): void {
    this.said.set(done ? `${title} is copied.` : 'The browser does not let it be copied: select it.');
  }
}
