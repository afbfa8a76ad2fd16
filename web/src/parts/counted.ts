import { counted } from '@dewpost/core/quantity';
import { Pipe, type PipeTransform } from '@angular/core';

/** A count with its noun: `1 node`, `2 nodes`. */
@Pipe({ name: 'counted' })
export class Counted implements PipeTransform {
  transform(count: number, one: string, many?: string): string {
    return counted(count, one, many);
  }
}
