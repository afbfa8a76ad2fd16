import { ChangeDetectionStrategy, Component, signal } from '@angular/core';
import { DateTime } from 'luxon';
import { Rig } from '../testing/rig';
import { instantOf, MomentField } from './moment-field';

const day = (text: string): DateTime => DateTime.fromISO(text);

describe('a day and a time of the site’s clock', () => {
  it('are the instant of that clock, whatever zone the browser is in; over both changes too', () => {
    const time = day('2000-01-01T14:30');
    expect(instantOf(day('2026-11-27'), time, 'Asia/Kathmandu')).toBe(Date.parse('2026-11-27T08:45:00Z'));
    expect(instantOf(day('2026-07-01'), time, 'Europe/Berlin')).toBe(Date.parse('2026-07-01T12:30:00Z'));
    // An hour that never was: the clock stood at 03:30 then. One that was twice: the first.
    expect(instantOf(day('2026-03-29'), day('2000-01-01T02:30'), 'Europe/Berlin')).toBe(Date.parse('2026-03-29T01:30:00Z'));
    expect(instantOf(day('2026-10-25'), day('2000-01-01T02:30'), 'Europe/Berlin')).toBe(Date.parse('2026-10-25T00:30:00Z'));
    expect(instantOf(null, time, 'UTC')).toBeNull();
    expect(instantOf(DateTime.invalid('no day'), time, 'UTC')).toBeNull();
  });

  it('are shown in the zone that is said, and handed on once both can be read', async () => {
    @Component({
      imports: [MomentField],
      changeDetection: ChangeDetectionStrategy.OnPush,
      template: `<dp-moment-field
        label="Live since"
        fieldId="since"
        zone="Europe/Berlin"
        [value]="value()"
        (changed)="value.set($event)"
      />`,
    })
    class Host {
      readonly value = signal<number | null>(Date.parse('2026-07-01T12:30:00Z'));
    }
    const rig = await Rig.open(Host, {});
    const fields = [...rig.element.querySelectorAll('input')];
    expect(fields.map((field) => field.value)).toEqual(['2026-07-01', '14:30']);
    expect(rig.text).toContain('Europe/Berlin');
    await rig.fill('#since', '2026-06-30');
    expect(rig.fixture.componentInstance.value()).toBe(Date.parse('2026-06-30T12:30:00Z'));
    await rig.fill('#since', 'the day before');
    expect(rig.fixture.componentInstance.value()).toBe(Date.parse('2026-06-30T12:30:00Z'));
    expect(rig.text).toContain('a day as 2026-11-27');
  });
});
