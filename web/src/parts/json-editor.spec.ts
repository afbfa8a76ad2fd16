import { EditorView } from '@codemirror/view';
import { ChangeDetectionStrategy, Component, provideZonelessChangeDetection, signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { JsonEditor } from './json-editor';

@Component({
  selector: 'dp-holds-text',
  imports: [JsonEditor],
  template: '<dp-json-editor name="Profile as JSON" [text]="text()" (textChange)="text.set($event)" />',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
class HoldsText {
  readonly text = signal('{"id":"a"}');
}

// The DOM of the tests lays nothing out.
beforeAll(() => Object.assign(Range.prototype, { getClientRects: () => [], getBoundingClientRect: () => new DOMRect() }));

describe('the editor of a file', () => {
  it('shows the text under its name, hands on what is typed, and follows what changes elsewhere', async () => {
    TestBed.configureTestingModule({ providers: [provideZonelessChangeDetection()] });
    const fixture = TestBed.createComponent(HoldsText);
    await fixture.whenStable();
    const element = fixture.nativeElement as HTMLElement;
    const content = await new Promise<HTMLElement>((found) => {
      const look = (): void => {
        const there = element.querySelector<HTMLElement>('.cm-content');
        if (there) found(there);
        else setTimeout(look);
      };
      look();
    });
    expect([content.getAttribute('aria-label'), content.textContent]).toEqual(['Profile as JSON', '{"id":"a"}']);
    const view = EditorView.findFromDOM(element)!;
    view.dispatch({ changes: { from: 7, to: 8, insert: 'b' } });
    await fixture.whenStable();
    expect(fixture.componentInstance.text()).toBe('{"id":"b"}');
    fixture.componentInstance.text.set('{"id":"c"}');
    await fixture.whenStable();
    expect(view.state.doc.toString()).toBe('{"id":"c"}');
    fixture.destroy();
    expect(element.querySelector('.cm-content')).toBeNull();
  });
});
