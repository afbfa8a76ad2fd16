import {
  clientIdBelongsTo,
  FOR_LEAVES,
  mayPublish,
  maySubscribe,
  parseUpwardTopic,
  topicOf,
  type Downward,
  type Upward,
} from '@dewpost/core/wire';
import { Aedes, type Client } from 'aedes';
import { createServer, type AddressInfo, type Server, type Socket } from 'node:net';
import type { Logger } from 'pino';
import type { NodeEntry } from '../model/registry';
import { capPerAddress } from '../net/per-address';
import { GuardedStream } from './guarded-stream';

/** What the broker asks of the rest of the house. */
export interface BrokerHooks {
  /** The node behind a user name and key, or why not. */
  authenticate(name: string, key: string): Promise<NodeEntry | string>;
  /** A message on one of a node's own channels; resolves when it is decided. Rejects: the connection is closed unacknowledged. */
  received(node: NodeEntry, channel: Upward, payload: Buffer): Promise<void>;
  /** A leaf that is listed under this gateway; `null`: it is not. */
  leafOf(gateway: NodeEntry, name: string): NodeEntry | null;
  connected(node: NodeEntry): void;
  /** The link is lost or was closed; not called for a session that a newer one took over, nor when we closed it ourselves. */
  gone(node: NodeEntry): void;
  /** Something was refused: a line for the node's log. */
  refused(node: NodeEntry, why: string): void;
}

export interface Broker {
  port: number;
  /** Publishes to one node's channel; false when the node is not connected (retained messages are kept all the same). */
  send(node: string, channel: Downward, payload: object, retain?: boolean): boolean;
  isConnected(node: string): boolean;
  /** Sessions that stand. */
  connections(): number;
  /** Ends a node's sessions: its key has changed, or it has been removed. */
  disconnect(node: string): void;
  close(): Promise<void>;
}

interface Session {
  node: NodeEntry;
  client: Client;
  /** Closed by us under pressure: its end raises no alarm. */
  closedByUs: boolean;
}

/** Where a refused publish goes, since an error would make the client send it for ever: nobody may subscribe to it. */
const REFUSED_TOPIC = 'dp/refused';

/** Starts the embedded MQTT 3.1.1 broker with the rights of docs/node-protocol.md. */
export async function startBroker(
  options: { bind: string; port: number; connectionsPerAddress: number; log: Logger },
  hooks: BrokerHooks,
): Promise<Broker> {
  const { log } = options;
  const aedes = await Aedes.createBroker({ connectTimeout: 10_000, heartbeatInterval: 60_000 });
  const sessions = new Map<string, Session>();
  /** What is thrown in an event of the broker would end the process. */
  const safely = (what: string, run: () => void): void => {
    try {
      run();
    } catch (error) {
      log.error({ err: error }, `${what}, and it could not be handled`);
    }
  };
  const streams = new WeakMap<object, GuardedStream>();

  aedes.preConnect = (client, packet, done) => {
    // With stored sessions a node would be handed commands that are long past, and could collect another's.
    packet.clean = true;
    if (client.conn instanceof GuardedStream) streams.set(client, client.conn);
    done(null, true);
  };

  aedes.authenticate = (client, username, password, done) => {
    const refuse = (why: string): void => {
      log.warn({ client: client.id, username, why }, 'connection refused');
      done(Object.assign(new Error(why), { returnCode: 4 as const }), false);
    };
    if (!username || !password) {
      refuse('user name (the node id) and password (its key) are needed');
      return;
    }
    hooks
      .authenticate(username, password.toString())
      .then((found) => {
        if (typeof found === 'string') {
          refuse(found);
          return;
        }
        if (!clientIdBelongsTo(found.name, client.id)) {
          hooks.refused(found, `client id ${client.id} is not its own: use ${found.name}, or begin with ${found.name}.`);
          refuse('the client id must be the node id or begin with it and a full stop');
          return;
        }
        streams.get(client)?.admit();
        nodeOf.set(client, found);
        done(null, true);
      })
      .catch((error: unknown) => {
        log.error({ err: error }, 'a connection could not be checked');
        done(Object.assign(new Error('try again'), { returnCode: 3 as const }), false);
      });
  };

  const nodeOf = new WeakMap<Client, NodeEntry>();

  aedes.authorizePublish = (client, packet, done) => {
    const node = client ? nodeOf.get(client) : undefined;
    const refuse = (why: string): void => {
      if (node) {
        hooks.refused(node, why);
        send(node.name, 'refused', { refused: [{ point: null, why }] });
      }
      packet.topic = REFUSED_TOPIC;
      packet.payload = Buffer.alloc(0);
      packet.retain = false;
      done(null);
    };
    // An error here makes the client send again for ever, and a throw ends the process: neither may happen.
    try {
      if (!client || !node) return refuse('not signed in');
      const place = parseUpwardTopic(packet.topic);
      const leaf = place && place.node !== node.name && FOR_LEAVES.includes(place.channel) ? hooks.leafOf(node, place.node) : null;
      if (!place || (!leaf && !mayPublish(node.name, packet.topic)))
        return refuse(`may not publish to ${packet.topic.slice(0, 80)}: only to its own up, hello, log, have, done, gone`);
      if (packet.retain) return refuse(`retained messages are not taken (${place.channel}): send it without the retain flag`);
      if (place.channel === 'gone') return done(null);
      hooks
        .received(leaf ?? node, place.channel, typeof packet.payload === 'string' ? Buffer.from(packet.payload) : packet.payload)
        .then(() => done(null))
        .catch((error: unknown) => {
          log.warn({ err: error, node: node.name }, 'connection closed without acknowledging');
          const session = sessions.get(client.id);
          if (session) session.closedByUs = true;
          client.conn.destroy();
        });
    } catch (error) {
      log.error({ err: error }, 'a publish could not be handled');
      refuse('the message could not be handled');
    }
  };

  aedes.authorizeSubscribe = (client, subscription, done) => {
    const node = client ? nodeOf.get(client) : undefined;
    if (node && maySubscribe(node.name, subscription.topic)) {
      done(null, subscription);
      return;
    }
    if (node) hooks.refused(node, `may not subscribe to ${subscription.topic.slice(0, 80)}: only to its own set, do, refused`);
    done(null, null);
  };

  aedes.on('clientReady', (client) => {
    const node = nodeOf.get(client);
    if (!node) return;
    sessions.set(client.id, { node, client, closedByUs: false });
    safely('a node has come', () => hooks.connected(node));
  });

  aedes.on('clientDisconnect', (client) => {
    const session = sessions.get(client.id);
    // A session that a newer one of the same id took over is not a lost link.
    if (!session || session.client !== client) return;
    sessions.delete(client.id);
    if (!session.closedByUs && !isConnected(session.node.name)) safely('a node has gone', () => hooks.gone(session.node));
  });

  const isConnected = (name: string): boolean => [...sessions.values()].some((session) => session.node.name === name);

  const send = (name: string, channel: Downward, payload: object, retain = false): boolean => {
    const connected = isConnected(name);
    if (!connected && !retain) return false;
    aedes.publish(
      {
        cmd: 'publish',
        topic: topicOf(name, channel),
        payload: Buffer.from(JSON.stringify(payload)),
        qos: retain ? 1 : 0,
        retain,
        dup: false,
      },
      (error) => {
        if (error) log.error({ err: error, node: name, channel }, 'could not publish');
      },
    );
    return connected;
  };

  const sockets = new Set<Socket>();
  const server: Server = createServer();
  capPerAddress(server, options.connectionsPerAddress, (address) => log.warn({ address }, 'too many connections from one address'));
  server.on('connection', (socket: Socket) => {
    if (socket.destroyed) return;
    const address = socket.remoteAddress ?? '';
    sockets.add(socket);
    socket.setNoDelay(true);
    socket.on('close', () => sockets.delete(socket));
    const said = (words: string) => () => log.warn({ address }, words);
    aedes.handle(
      new GuardedStream(
        socket,
        said('a packet above the limit was declared: closed'),
        said('a client does not read what it is sent: dropped'),
      ),
    );
  });
  await listen(server, options.port, options.bind);

  return {
    port: (server.address() as AddressInfo).port,
    send,
    isConnected,
    disconnect(name) {
      for (const session of sessions.values()) if (session.node.name === name) session.client.close();
    },
    connections: () => sessions.size,
    async close() {
      for (const session of sessions.values()) session.closedByUs = true;
      await new Promise<void>((resolve) => aedes.close(resolve));
      for (const socket of sockets) socket.destroy();
      await new Promise<void>((resolve) => server.close(() => resolve()));
    },
  };
}

/** Listens, or throws what was wrong (a taken port, say). */
export function listen(server: Server, port: number, bind: string): Promise<void> {
  return new Promise((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, bind, () => {
      server.off('error', reject);
      resolve();
    });
  });
}
