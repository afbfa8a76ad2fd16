import type { Point } from '@dewpost/contract';
import { signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { FormControl } from '@angular/forms';
import { aPoint } from '../../testing/rig';
import { beginsOnItsSide } from './begins-on-its-side';

it('a new rule begins on the side on which its point harms; once somebody has chosen a side, another point leaves it', () => {
  const scale = { unit: '°C', min: -40, max: 85, decimals: 1 };
  const air = aPoint({ id: 2, name: 'temperature', ...scale, calibratesTo: scale });
  const point = signal<Point | null>(null);
  const side = new FormControl<'high' | 'low' | null>('low');
  TestBed.runInInjectionContext(() => beginsOnItsSide(side, point));
  const choose = (next: Point): 'high' | 'low' | null => {
    point.set(next);
    TestBed.tick();
    return side.value;
  };
  expect([choose(air), choose(aPoint()), choose(air)]).toEqual(['high', 'low', 'high']);
  side.setValue('low');
  side.markAsDirty();
  expect([choose(aPoint()), choose(air)]).toEqual(['low', 'low']);
});
