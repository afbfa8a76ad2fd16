import { inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { allNodes } from './reducers';

/** What people call a node, by its id; its id where it is not known (any more). For templates and computed signals: it follows a renaming. */
export function nodeNames(): (id: string) => string {
  const nodes = inject(Store).selectSignal(allNodes.selectEntities);
  return (id) => nodes()[id]?.name ?? id;
}
