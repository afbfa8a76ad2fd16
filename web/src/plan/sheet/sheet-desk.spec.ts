import { catalogueOf } from '@dewpost/core/circuit';
import { TestBed } from '@angular/core/testing';
import { profilesOf } from '../../data/catalogue-reply';
import { shippedCatalogue } from '../../testing/shipped-catalogue';
import { SheetDesk } from './sheet-desk';

describe('the sheet in hand', () => {
  let desk: SheetDesk;
  const open = (): SheetDesk => {
    const made = TestBed.runInInjectionContext(() => new SheetDesk());
    made.catalogue.set(catalogueOf(profilesOf(shippedCatalogue as Parameters<typeof profilesOf>[0])));
    return made;
  };
  beforeEach(() => {
    localStorage.clear();
    desk = open();
    desk.begin('new', null);
  });

  it('gives parts names of their own, and takes no part that the catalogue does not have', () => {
    expect([desk.add('climate-i2c'), desk.add('climate-i2c'), desk.add('no-such-part')]).toEqual(['climate', 'climate-2', null]);
    expect(desk.draft().parts).toHaveLength(2);
  });
  it('takes with a part what was kept of its pins and dividers, and nothing of another whose name begins alike', () => {
    desk.add('climate-i2c');
    desk.add('climate-i2c');
    desk.keepPin('climate.data', '21');
    desk.keepPin('climate-2.data', '22');
    desk.remove('climate');
    expect([desk.draft().parts.map(({ ref }) => ref), desk.draft().fixed]).toEqual([['climate-2'], { 'climate-2.data': '22' }]);
    desk.keepPin('climate-2.data', '');
    expect(desk.draft().fixed).toEqual({});
  });
  it('keeps of a point only what differs from how it comes', () => {
    desk.add('climate-i2c');
    desk.renamePoint('temperature', { label: 'Air by the door', name: 'Air by the Door' });
    expect(desk.draft().points).toEqual({ temperature: { label: 'Air by the door', name: 'air-by-the-door' } });
    desk.renamePoint('temperature', { label: '', name: 'temperature' });
    expect(desk.draft().points).toEqual({});
  });
  it('goes back as far as fifty steps, and no further', () => {
    for (let metres = 1; metres <= 60; metres++) desk.change({ cableMetres: metres });
    let steps = 0;
    while (desk.canUndo()) {
      desk.undo();
      steps++;
    }
    expect([steps, desk.draft().cableMetres]).toEqual([50, 10]);
  });
  it('outlives its page, by sheet; once saved it is the stored one that counts', () => {
    desk.rename('Loft post');
    desk.add('soil-analog');
    const again = open();
    again.begin('new', null);
    expect([again.name(), again.draft().parts.length]).toEqual(['Loft post', 1]);
    const other = open();
    other.begin('loft-post', { name: 'Stored', draft: undefined, version: 3 });
    expect([other.name(), other.version(), other.draft().parts.length]).toEqual(['Stored', 3, 0]);
    again.saved('loft-post', 1, { 'soil.signal': '34' });
    expect([again.version(), again.draft().given]).toEqual([1, { 'soil.signal': '34' }]);
    const fresh = open();
    fresh.begin('new', null);
    expect([fresh.name(), fresh.draft().parts.length]).toEqual(['', 0]);
  });
});
