import { signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { MatPaginatorHarness } from '@angular/material/paginator/testing';
import { LongRows, pagesOf, ROWS_A_PAGE } from './long-rows';

const rows = signal<readonly number[]>([]);
const some = (count: number): number[] => Array.from({ length: count }, (_, i) => i);
const open = () => {
  const pages = pagesOf(rows);
  const fixture = TestBed.createComponent(LongRows);
  fixture.componentRef.setInput('of', pages);
  fixture.componentRef.setInput('what', 'runs');
  fixture.detectChanges();
  return { pages, fixture, loader: TestbedHarnessEnvironment.loader(fixture) };
};

describe('rows that are many', () => {
  it('a table of one page has nothing beneath it', async () => {
    rows.set(some(ROWS_A_PAGE));
    const { pages, loader } = open();
    expect(pages.shown()).toHaveLength(ROWS_A_PAGE);
    expect(await loader.getAllHarnesses(MatPaginatorHarness)).toEqual([]);
  });

  it('a longer one is turned page by page, every row on one of them and on no other', async () => {
    rows.set(some(150));
    const { pages, loader, fixture } = open();
    const paginator = await loader.getHarness(MatPaginatorHarness);
    expect(fixture.nativeElement.querySelector('mat-paginator').getAttribute('aria-label')).toBe('Pages of runs');
    const met = [...pages.shown()];
    while (!(await paginator.isNextPageDisabled())) {
      await paginator.goToNextPage();
      met.push(...pages.shown());
    }
    expect(met).toEqual(some(150));
    expect(await paginator.getRangeLabel()).toBe('121 – 150 of 150');
  });

  it('where rows go, the last page that is left is shown, not an empty one', async () => {
    rows.set(some(150));
    const { pages, loader } = open();
    await (await loader.getHarness(MatPaginatorHarness)).goToLastPage();
    rows.set(some(61));
    expect(pages.shown()).toEqual([60]);
    rows.set(some(3));
    expect(pages.shown()).toEqual([0, 1, 2]);
    rows.set([]);
    expect(pages.shown()).toEqual([]);
  });
});
