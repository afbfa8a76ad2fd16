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
    try {
      await this.api.call(respond.acknowledge, { params: { id: alert.id } });
    } catch (error) {
      this.notices.open(messageOf(error), 'Close', { duration: 8000 });
    }
  }
}
