import { plan, type Node } from '@dewpost/contract';
import { catalogueOf, type BoardProfile } from '@dewpost/core/circuit';
import { computed, inject, Injectable, resource } from '@angular/core';
import { Api } from '../../data/api';
import { profilesOf } from '../../data/catalogue-reply';

/** Pins of a board whose profile is not known. */
const USUAL_PINS = 30;

/** Which board each node at the bench is to have, by the sheet it was drawn with. */
@Injectable()
export class BenchBoards {
  private readonly api = inject(Api);
  private readonly profiles = resource({ loader: () => this.api.call(plan.catalogue, {}) });
  private readonly read = resource({ loader: () => this.api.call(plan.sheets, {}) });
  readonly sheets = computed(() => (this.read.hasValue() ? this.read.value() : []));
  readonly catalogue = computed(() => (this.profiles.hasValue() ? catalogueOf(profilesOf(this.profiles.value())) : null));
  private readonly bySheet = computed(() => {
    const boards = new Map<string, { slug: string; profile: BoardProfile; pinsASide: number }>();
    for (const { name, slug, body } of this.sheets()) {
      const profile = this.catalogue()?.boards.get(body.draft?.board ?? '');
      if (profile) boards.set(name, { slug, profile, pinsASide: Math.round((profile.pins.length || USUAL_PINS) / 2) });
    }
    return boards;
  });
  /** Its board and the sheet that says so; `null`: the sheet was not drawn here. */
  of(node: Node): { slug: string; profile: BoardProfile; pinsASide: number } | null {
    return this.bySheet().get(node.sheet) ?? null;
  }
}
