import { respond, type Alert } from '@dewpost/contract';
import { inject, Injectable } from '@angular/core';
import { MatSnackBar } from '@angular/material/snack-bar';
import { Api, messageOf } from '../data/api';

/** Says that somebody has seen an alert, from wherever it is shown. */
@Injectable({ providedIn: 'root' })
export class Acknowledging {
  private readonly api = inject(Api);
  private readonly notices = inject(MatSnackBar);

  async acknowledge(alert: Pick<Alert, 'id'> | undefined): Promise<void> {
    if (!alert) return;
    await this.try(() => this.api.call(respond.acknowledge, { params: { id: alert.id } }));
  }

  /** Many at once: all of a list that somebody has looked through. */
  async acknowledgeAll(alerts: readonly Pick<Alert, 'id'>[]): Promise<void> {
    if (alerts.length === 0) return;
    await this.try(() => this.api.call(respond.acknowledgeMany, { body: { ids: alerts.slice(0, 500).map((alert) => alert.id) } }));
  }

  /** Ends a latched alert whose condition has gone. */
  async reset(alert: Pick<Alert, 'id'>): Promise<void> {
    await this.try(() => this.api.call(respond.resetAlert, { params: { id: alert.id } }));
  }

  private async try(call: () => Promise<unknown>): Promise<void> {
    try {
      await call();
    } catch (error) {
      this.notices.open(messageOf(error), 'Close', { duration: 8000 });
    }
  }
}
