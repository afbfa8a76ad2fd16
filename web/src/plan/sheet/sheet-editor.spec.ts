import { type ComponentFixture, TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import type { SheetDraft } from '@dewpost/core/circuit';
import { Api } from '../../data/api';
import { materialDefaults } from '../../parts/material-defaults';
import { shippedCatalogue } from '../../testing/shipped-catalogue';
import type { SheetDesk } from './sheet-desk';
import { SheetEditor } from './sheet-editor';

/** What the test touches of the component. */
interface Inside {
  desk: SheetDesk;
  slide(step: number): void;
  save(): Promise<void>;
}

describe('the sheet editor', () => {
  let fixture: ComponentFixture<SheetEditor>;
  let saved: { name: string; draft: SheetDraft }[];
  const inside = (): Inside => fixture.componentInstance as unknown as Inside;
  const desk = (): SheetDesk => inside().desk;
  const text = (): string => (fixture.nativeElement as HTMLElement).textContent ?? '';
  const start = async (slug: string): Promise<void> => {
    fixture = TestBed.createComponent(SheetEditor);
    fixture.componentRef.setInput('slug', slug);
    await fixture.whenStable();
  };

  beforeEach(() => {
    localStorage.clear();
    saved = [];
    TestBed.configureTestingModule({
      providers: [
        provideRouter([{ path: '**', component: SheetEditor }]),
        ...materialDefaults,
        {
          provide: Api,
          useValue: {
            call: (endpoint: { path: string; method: string }, input: { body?: { name: string; draft: SheetDraft } }) => {
              if (endpoint.path.endsWith('/catalogue')) return Promise.resolve(shippedCatalogue);
              if (endpoint.method === 'get') return Promise.resolve([]);
              if (input.body) saved.push(input.body);
              return Promise.resolve({ slug: 'new', name: input.body?.name, version: saved.length, nodes: 0, behind: 0, body: {} });
            },
          },
        },
      ],
    });
  });

  it('names parts by themselves, finds their pins and takes a change back', async () => {
    await start('new');
    for (const part of ['climate-i2c', 'climate-i2c', 'relay-1']) desk().add(part);
    await fixture.whenStable();
    expect(
      desk()
        .draft()
        .parts.map((place) => place.ref),
    ).toEqual(['climate', 'climate-2', 'relay']);
    expect(text()).toMatch(/0x44/);
    expect(text()).toMatch(/0x45/);
    expect(text()).toMatch(/What does it switch\?/);
    desk().remove('climate-2');
    desk().undo();
    expect(desk().draft().parts).toHaveLength(3);
  });
  it('keeps what was drawn and named through a reload, and lets it go once it is saved', async () => {
    await start('new');
    desk().rename('Loft post');
    desk().add('soil-analog');
    await start('new');
    expect([text().includes('Capacitive soil probe, analog'), desk().draft().parts.length]).toEqual([true, 1]);
    await inside().save();
    expect(saved).toEqual([{ name: 'Loft post', draft: desk().draft(), base: null }]);
    expect(localStorage.getItem('dewpost.sheet-draft.new')).toBeNull();
  });
  it('begins anew where what was kept no longer fits', async () => {
    localStorage.setItem('dewpost.sheet-draft.new', '{"board":"an older shape"}');
    await start('new');
    expect(desk().draft().parts).toEqual([]);
  });
  it('takes the fix of a failing check with one click', async () => {
    await start('new');
    desk().change({ board: 'wifi-dual-bare', supply: 'lithium-ion' });
    desk().add('battery-divider');
    await fixture.whenStable();
    const button = [...(fixture.nativeElement as HTMLElement).querySelectorAll('button')].find((one) =>
      one.textContent?.includes('Add the divider'),
    )!;
    button.click();
    await fixture.whenStable();
    expect(
      desk()
        .checks()
        .some((check) => check.id === 'adc-range' && check.verdict !== 'pass'),
    ).toBe(false);
    expect(Object.keys(desk().draft().dividers)).toEqual(['battery.signal']);
    expect(text()).toMatch(/the battery lasts/);
  });
  it('moves the interval over round values from a second to six hours', async () => {
    await start('new');
    const values = [0, 250, 500, 750, 1000].map((step) => {
      inside().slide(step);
      return desk().draft().reportSeconds;
    });
    expect(values[0]).toBe(1);
    expect(values.at(-1)).toBe(21_600);
    expect([...values].sort((a, b) => a - b)).toEqual(values);
  });
});
