import { ApplicationRef, ChangeDetectionStrategy, Component, provideZonelessChangeDetection } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { MatDialog } from '@angular/material/dialog';
import { provideRouter, Router } from '@angular/router';
import { RouterTestingHarness } from '@angular/router/testing';
import { firstValueFrom } from 'rxjs';
import { materialDefaults } from './material-defaults';
import { askBeforeClosing, leaveWhenKept, type HoldsUnsaved } from './unsaved';

let held: string | null = null;

@Component({ selector: 'dp-edited', template: 'edited', changeDetection: ChangeDetectionStrategy.OnPush })
class Edited implements HoldsUnsaved {
  constructor() {
    askBeforeClosing(() => this.unsaved());
  }
  unsaved(): string | null {
    return held;
  }
}
@Component({ selector: 'dp-elsewhere', template: 'elsewhere', changeDetection: ChangeDetectionStrategy.OnPush })
class Elsewhere {}

describe('what is not kept', () => {
  const open = async (): Promise<{ router: Router; go: () => Promise<boolean> }> => {
    TestBed.configureTestingModule({
      providers: [
        provideZonelessChangeDetection(),
        ...materialDefaults,
        provideRouter([
          { path: 'edited', component: Edited, canDeactivate: [leaveWhenKept] },
          { path: 'elsewhere', component: Elsewhere },
        ]),
      ],
    });
    await RouterTestingHarness.create('/edited');
    const router = TestBed.inject(Router);
    return { router, go: () => router.navigateByUrl('/elsewhere') };
  };
  const press = (text: string): void =>
    [...document.querySelectorAll<HTMLButtonElement>('mat-dialog-container button')]
      .find((one) => one.textContent?.includes(text))!
      .click();
  /** The question that `go` leads to, drawn. */
  const asked = async (go: () => Promise<boolean>): Promise<{ left: Promise<boolean>; dialog: HTMLElement }> => {
    const opened = firstValueFrom(TestBed.inject(MatDialog).afterOpened);
    const left = go();
    await opened;
    // Not `whenStable`: the navigation that asks is what the page is not done with.
    TestBed.inject(ApplicationRef).tick();
    return { left, dialog: document.querySelector<HTMLElement>('mat-dialog-container')! };
  };

  it('lets a page go without a word when it holds nothing', async () => {
    held = null;
    const { router, go } = await open();
    expect(await go()).toBe(true);
    expect(router.url).toBe('/elsewhere');
  });
  it('is named before the page is left: staying stays, leaving leaves', async () => {
    held = 'The list of networks';
    const { router, go } = await open();
    const first = await asked(go);
    expect(first.dialog.textContent).toContain('The list of networks is not kept yet.');
    press('Stay here');
    expect([await first.left, router.url]).toEqual([false, '/edited']);
    document.querySelectorAll('.cdk-overlay-container').forEach((layer) => layer.replaceChildren());
    const second = await asked(go);
    press('Leave without it');
    expect([await second.left, router.url]).toEqual([true, '/elsewhere']);
  });
  it('is asked about by the browser too, and no more once the page is gone', async () => {
    held = 'The list of networks';
    const { go } = await open();
    const browserAsks = (): boolean => !dispatchEvent(new Event('beforeunload', { cancelable: true }));
    expect(browserAsks()).toBe(true);
    held = null;
    expect(browserAsks()).toBe(false);
    await go();
    held = 'The list of networks';
    expect(browserAsks()).toBe(false);
  });
});
