import { inject, Injectable } from '@angular/core';
import type { NewWay } from '@dewpost/contract';

export type Subscription = Pick<Extract<NewWay, { kind: 'push' }>, 'endpoint' | 'keys'>;

/** Where a worker lies that shows what is pushed, below the page's own address. */
const WORKER = '/push-worker.js';

/** Subscribes the browser that shows this page to what the house pushes. */
@Injectable({ providedIn: 'root' })
export class ThisBrowser {
  private readonly window = inject(Window, { optional: true }) ?? window;

  /** Why this browser cannot be pushed to, in words; `null`: it can. */
  get fault(): string | null {
    if (!this.window.isSecureContext)
      return 'Browsers take pushes only from a page with TLS (https), or on the computer itself: Provision, Reaching says how to get there. Until then choose an open page.';
    if (!('serviceWorker' in this.window.navigator) || !('PushManager' in this.window)) return 'This browser knows no pushes.';
    return null;
  }

  /** Asks whoever sits here, and then the browser's push service. Throws with words where either refuses. */
  async subscribe(publicKey: string): Promise<Subscription> {
    const { Notification, navigator } = this.window as unknown as Window & typeof globalThis;
    if ((await Notification.requestPermission()) !== 'granted')
      throw new Error('This browser may not show messages of this page: allow it beside its address, and try again.');
    await navigator.serviceWorker.register(WORKER);
    const { pushManager } = await navigator.serviceWorker.ready;
    const subscription = await pushManager.subscribe({ userVisibleOnly: true, applicationServerKey: publicKey }).catch((error: unknown) => {
      throw new Error(`The push service of this browser was not reached: ${error instanceof Error ? error.message : String(error)}`);
    });
    const { endpoint, keys } = subscription.toJSON();
    if (!endpoint || !keys?.['p256dh'] || !keys['auth']) throw new Error('The browser gave no address to push to.');
    return { endpoint, keys: { p256dh: keys['p256dh'], auth: keys['auth'] } };
  }
}
