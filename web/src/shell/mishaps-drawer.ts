import { AIR_MISHAPS, NODE_MISHAPS, PORT_MISHAPS, type AirMishap, type NodeMishap, type PortMishap } from '@dewpost/core/mishaps';
import { ChangeDetectionStrategy, Component, inject, signal, type OnDestroy } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatIcon } from '@angular/material/icon';
import { MatSelectModule } from '@angular/material/select';
import { X } from 'lucide';
import { messageOf } from '../data/api';
import { useIcons } from '../parts/icons';
import { Drawers } from './drawers';
import { StandinsApi, type Mishaps, type MishapWish } from './standins-api';

/** Makes things go wrong on purpose, at the stand-ins: a silent node, a stuck sensor, a wild reading, a network down. */
@Component({
  selector: 'dp-mishaps-drawer',
  imports: [MatButton, MatCheckbox, MatFormFieldModule, MatIcon, MatSelectModule],
  templateUrl: './mishaps-drawer.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class MishapsDrawer implements OnDestroy {
  private readonly standins = inject(StandinsApi);
  protected readonly drawers = inject(Drawers);
  protected readonly seen = signal<Mishaps | null>(null);
  protected readonly problem = signal<string | null>(null);
  /** What stays until it is put right; a wild reading is one, and has a button. */
  protected readonly kinds = (Object.entries(NODE_MISHAPS) as [NodeMishap, string][]).filter(([kind]) => kind !== 'wild');
  protected readonly portKinds = Object.entries(PORT_MISHAPS) as [PortMishap, string][];
  protected readonly airKinds = Object.entries(AIR_MISHAPS) as [AirMishap, string][];
  private readonly timer = setInterval(() => void this.run(() => this.standins.mishaps()), 3000);

  constructor() {
    useIcons({ x: X });
    void this.run(() => this.standins.mishaps());
  }
  ngOnDestroy(): void {
    clearInterval(this.timer);
  }
  protected set(wish: MishapWish): void {
    void this.run(() => this.standins.setMishap(wish));
  }
  private async run(ask: () => Promise<Mishaps>): Promise<void> {
    try {
      this.seen.set(await ask());
      this.problem.set(null);
    } catch (error) {
      this.problem.set(messageOf(error));
    }
  }
}
