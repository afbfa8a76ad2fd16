/// <reference lib="webworker" />
import { LiveConnection, type LiveMessage } from './live-connection';

/** What a tab tells the worker. */
export type FromTab = { kind: 'open'; from: string } | { kind: 'visible' } | { kind: 'hidden' } | { kind: 'bye' };

const tabs = new Map<MessagePort, { visible: boolean }>();
const connection = new LiveConnection('/api/v1/live', (message: LiveMessage) => {
  for (const tab of tabs.keys()) tab.postMessage(message);
});

// One stream for all tabs of the browser, closed while all of them are hidden: browsers allow only six to one server.
const settle = (): void => {
  if ([...tabs.values()].some((tab) => tab.visible)) connection.start();
  else connection.stop();
};

(self as unknown as SharedWorkerGlobalScope).onconnect = (event) => {
  const [tab] = event.ports;
  if (!tab) return;
  tabs.set(tab, { visible: true });
  tab.onmessage = ({ data }: MessageEvent<FromTab>) => {
    switch (data.kind) {
      case 'open':
        connection.start(data.from);
        break;
      case 'visible':
        tabs.set(tab, { visible: true });
        settle();
        break;
      case 'hidden':
        tabs.set(tab, { visible: false });
        settle();
        break;
      case 'bye':
        tabs.delete(tab);
        if (tabs.size === 0) connection.forget();
        else settle();
        break;
    }
  };
};
