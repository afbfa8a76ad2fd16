import { TestBed } from '@angular/core/testing';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { runInNewContext } from 'node:vm';
import { ThisBrowser } from './this-browser';

const KEY = 'B'.repeat(87);
const browser = (given: { secure?: boolean; permission?: string; subscribe?: () => Promise<unknown> } = {}): ThisBrowser => {
  const registration = {
    pushManager: {
      subscribe:
        given.subscribe ??
        ((options: object) =>
          Promise.resolve({ toJSON: () => ({ endpoint: 'https://push.example/1', keys: { p256dh: 'p', auth: 'a' }, options }) })),
    },
  };
  const serviceWorker = { register: () => Promise.resolve(registration), ready: Promise.resolve(registration) };
  const Notification = { requestPermission: () => Promise.resolve(given.permission ?? 'granted') };
  const useValue = { isSecureContext: given.secure ?? true, navigator: { serviceWorker }, PushManager: class {}, Notification };
  TestBed.resetTestingModule();
  TestBed.configureTestingModule({ providers: [{ provide: Window, useValue }] });
  return TestBed.inject(ThisBrowser);
};

describe('this browser', () => {
  it('is subscribed with the key of the house, where the page may and whoever sits there agrees', async () => {
    expect(browser().fault).toBeNull();
    expect(await browser().subscribe(KEY)).toEqual({ endpoint: 'https://push.example/1', keys: { p256dh: 'p', auth: 'a' } });
  });
  it('says why not: no TLS, no permission, no push service', async () => {
    expect(browser({ secure: false }).fault).toMatch(/with TLS/);
    await expect(browser({ permission: 'denied' }).subscribe(KEY)).rejects.toThrow('may not show messages');
    const away = (): Promise<never> => Promise.reject(new Error('push service not available'));
    await expect(browser({ subscribe: away }).subscribe(KEY)).rejects.toThrow(/was not reached: push service not available/);
    await expect(browser({ subscribe: () => Promise.resolve({ toJSON: () => ({}) }) }).subscribe(KEY)).rejects.toThrow('no address');
  });
});

describe('the worker that shows what is pushed', () => {
  const heard = new Map<string, (event: object) => void>();
  const shown: { title: string; options: Record<string, unknown> }[] = [];
  const opened: string[] = [];
  const windows: { url: string; focus(): Promise<object>; navigate(url: string): void }[] = [];
  const registration = {
    scope: 'https://mill.example/',
    showNotification: (title: string, options: Record<string, unknown>) => void shown.push({ title, options }),
  };
  const clients = { matchAll: () => Promise.resolve(windows), openWindow: (url: string) => void opened.push(url) };
  runInNewContext(readFileSync(join(__dirname, '../../../public/push-worker.js'), 'utf8'), {
    self: { addEventListener: (kind: string, run: (event: object) => void) => heard.set(kind, run), registration, clients },
    URL,
  });
  const say = async (kind: string, event: object): Promise<void> => {
    let done: Promise<unknown> = Promise.resolve();
    heard.get(kind)!({ ...event, waitUntil: (until: Promise<unknown>) => (done = Promise.resolve(until)) });
    await done;
  };

  it('shows it by its own number; what cannot be read is told of all the same', async () => {
    const message = { id: 'a', title: 'Frost', text: 'In the beds.', severity: 'critical', sentAt: 5 };
    await say('push', { data: { json: () => message } });
    expect(shown[0]).toMatchObject({ title: 'Frost', options: { body: 'In the beds.', tag: 'a', requireInteraction: true, timestamp: 5 } });
    await say('push', {
      data: {
        json: () => {
          throw new SyntaxError('no JSON');
        },
      },
    });
    expect(shown[1]).toMatchObject({ title: 'A message of the house', options: { requireInteraction: false } });
  });
  it('leads to the alerts: in a window that is there, or in another', async () => {
    const close = jest.fn();
    await say('notificationclick', { notification: { close } });
    expect([close.mock.calls.length, opened]).toEqual([1, ['https://mill.example/respond/alerts']]);
    const navigated: string[] = [];
    const there = {
      url: 'https://mill.example/watch',
      focus: () => Promise.resolve(there),
      navigate: (url: string) => void navigated.push(url),
    };
    windows.push(there);
    await say('notificationclick', { notification: { close } });
    expect([navigated, opened.length]).toEqual([['https://mill.example/respond/alerts'], 1]);
  });
});
