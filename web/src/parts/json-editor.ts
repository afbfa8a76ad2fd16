import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  DestroyRef,
  effect,
  inject,
  input,
  model,
  signal,
  viewChild,
  type ElementRef,
} from '@angular/core';
import type { EditorView } from '@codemirror/view';

/** A file of JSON, edited as text: numbered lines, folds, undo, and what is not JSON marked at its line. Fetched when it is opened. */
@Component({
  selector: 'dp-json-editor',
  template: '<div #host class="host"></div>',
  styles: `
    :host {
      display: block;
      min-height: 0;
    }
    .host {
      height: 100%;
      overflow: hidden;
      border: 1px solid var(--rule);
      border-radius: var(--r);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class JsonEditor {
  readonly text = model.required<string>();
  readonly name = input.required<string>();
  private readonly host = viewChild.required<ElementRef<HTMLElement>>('host');
  private readonly view = signal<EditorView | null>(null);

  constructor() {
    let closed = false;
    inject(DestroyRef).onDestroy(() => {
      closed = true;
      this.view()?.destroy();
    });
    afterNextRender(() => {
      void import('./json-editor-view').then(({ openJsonEditor }) => {
        if (!closed) this.view.set(openJsonEditor(this.host().nativeElement, this.text(), this.name(), (text) => this.text.set(text)));
      });
    });
    effect(() => {
      const [view, text] = [this.view(), this.text()];
      if (view && view.state.doc.toString() !== text)
        view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text }, selection: { anchor: 0 } });
    });
  }
}
