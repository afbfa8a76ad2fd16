import { ChangeDetectionStrategy, Component, provideZonelessChangeDetection, signal } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { ChoiceField, type Choice } from './choice-field';
import { formDefaults } from './form-defaults';
import { TextField, ValueField } from './value-field';

@Component({
  selector: 'dp-three-fields',
  imports: [ChoiceField, TextField, ValueField],
  template: `
    <dp-value-field
      label="thickness"
      unit="mm"
      [min]="1"
      [max]="300"
      [optional]="optional()"
      [disabled]="disabled()"
      [value]="thickness()"
      (changed)="heard.push($event)"
      (cleared)="heard.push('cleared')"
    />
    <dp-text-field label="name" [problem]="problem()" [optional]="optional()" [value]="name()" (changed)="heard.push($event)" />
    <dp-choice-field label="wall" [choices]="choices" [value]="wall()" (changed)="heard.push($event)" />
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
class ThreeFields {
  readonly thickness = signal<number | null>(150);
  readonly name = signal('Flour store');
  readonly problem = signal<string | null>(null);
  readonly optional = signal(false);
  readonly disabled = signal(false);
  readonly wall = signal<string | null>('brick');
  readonly choices: readonly Choice<string | null>[] = [
    { value: null, words: 'nothing' },
    { value: 'brick', words: 'Brick, 7 dB' },
    { value: 'stone', words: 'Stone, 12 dB', disabled: true },
  ];
  readonly heard: unknown[] = [];
}

describe('fields of something that stands elsewhere', () => {
  let fixture: ComponentFixture<ThreeFields>;
  const inside = (): ThreeFields => fixture.componentInstance;
  const field = (label: string): HTMLInputElement =>
    [...(fixture.nativeElement as HTMLElement).querySelectorAll('mat-form-field')]
      .find((one) => one.querySelector('mat-label')?.textContent === label)!
      .querySelector('input')!;
  const error = (): string[] =>
    [...(fixture.nativeElement as HTMLElement).querySelectorAll('mat-error')].map((one) => one.textContent?.trim() ?? '').filter(Boolean);
  const type = async (label: string, text: string): Promise<void> => {
    field(label).value = text;
    for (const kind of ['input', 'blur']) field(label).dispatchEvent(new Event(kind));
    await fixture.whenStable();
  };
  beforeEach(async () => {
    TestBed.configureTestingModule({ providers: [provideZonelessChangeDetection(), ...formDefaults] });
    fixture = TestBed.createComponent(ThreeFields);
    await fixture.whenStable();
  });

  it('show what is, and hand on what was typed once the field is left', async () => {
    expect([field('thickness').value, field('name').value]).toEqual(['150', 'Flour store']);
    field('thickness').value = '200';
    field('thickness').dispatchEvent(new Event('input'));
    expect(inside().heard).toEqual([]);
    await type('thickness', '200');
    await type('name', '  Meal store ');
    expect(inside().heard).toEqual([200, 'Meal store']);
  });
  it('follow what changes elsewhere, and say nothing of it', async () => {
    inside().thickness.set(90);
    inside().name.set('Bran store');
    await fixture.whenStable();
    expect([field('thickness').value, field('name').value, inside().heard]).toEqual(['90', 'Bran store', []]);
  });
  it.each([
    ['0', 'from 1 to 300'],
    ['301', 'from 1 to 300'],
    ['', 'needed'],
  ])('hand on no figure out of bounds, and say which are: "%s"', async (text, why) => {
    await type('thickness', text);
    expect([inside().heard, error()]).toEqual([[], [why]]);
    await type('thickness', '300');
    expect([inside().heard, error()]).toEqual([[300], []]);
  });
  it('may be left empty only where that is allowed', async () => {
    await type('name', '   ');
    expect([inside().heard, error()]).toEqual([[], ['needed']]);
    inside().optional.set(true);
    await fixture.whenStable();
    await type('thickness', '');
    await type('name', '');
    expect(inside().heard).toEqual(['cleared', '']);
  });
  it('say at once what somebody else finds wrong with a name, and hand on a better one', async () => {
    inside().problem.set('Flour store stands here twice');
    await fixture.whenStable();
    expect(error()).toEqual(['Flour store stands here twice']);
    await type('name', 'Flour store 2');
    expect(inside().heard).toEqual(['Flour store 2']);
  });
  it('cannot be typed into where they are disabled', async () => {
    inside().disabled.set(true);
    await fixture.whenStable();
    expect(field('thickness').disabled).toBe(true);
  });
  it('take nothing for a choice like another, and never one that is not to be had now', async () => {
    const select = (fixture.nativeElement as HTMLElement).querySelector<HTMLElement>('mat-select')!;
    expect(select.textContent).toContain('Brick, 7 dB');
    select.querySelector<HTMLElement>('.mat-mdc-select-trigger')!.click();
    await fixture.whenStable();
    const option = (text: string): HTMLElement =>
      [...document.querySelectorAll<HTMLElement>('mat-option')].find((one) => one.textContent?.trim() === text)!;
    option('Stone, 12 dB').click();
    expect(inside().heard).toEqual([]);
    option('nothing').click();
    await fixture.whenStable();
    expect(inside().heard).toEqual([null]);
  });
});
