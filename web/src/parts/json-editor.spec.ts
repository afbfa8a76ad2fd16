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
    // The editor is fetched once it is wanted: what the page waits for, waited for here.
    await import('./json-editor-view');
    await fixture.whenStable();
    const content = element.querySelector<HTMLElement>('.cm-content')!;
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
