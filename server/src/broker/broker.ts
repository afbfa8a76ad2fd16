import { clientIdBelongsTo, FOR_LEAVES, mayPublish, maySubscribe, parseUpwardTopic, topicOf, type Downward } from '@dewpost/core/wire';
import { Aedes, type Client } from 'aedes';
import { randomUUID } from 'node:crypto';
import { createServer, type AddressInfo, type Server, type Socket } from 'node:net';
import { createServer as createTlsServer, type Server as TlsServer } from 'node:tls';
import type { Logger } from 'pino';
import { capPerAddress } from '../net/per-address';
import { GuardedStream } from './guarded-stream';
import { InTurn } from './in-turn';
import { type BrokerClient, type BrokerHooks, type Broker } from './hooks';

interface Session {
  who: BrokerClient;
  client: Client;
  /** Closed by us under pressure: its end raises no alarm. */
  closedByUs: boolean;
}

/** Where a refused publish goes, since an error would make the client send it for ever: nobody may subscribe to it. */
const REFUSED_TOPIC = 'dp/refused';
/** Below this lie the readings that are published for reading accounts. */
const READER_TOPICS = 'dp/out/';

/** Starts the embedded MQTT 3.1.1 broker with the rights of docs/node-protocol.md. */
export async function startBroker(
  options: {
    bind: string;
    port: number;
    connectionsPerAddress: number;
    log: Logger;
    /** A second door, with TLS. */
    tls?: { port: number; serve(server: TlsServer): void } | undefined;
  },
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
    // An exclamation mark stands in no node id: whoever is not ours can take over nobody's session but its own account's.
    const name = packet.username;
    if (name !== undefined && !hooks.isOurs(name)) packet.clientId = `${name}!${packet.clientId || randomUUID()}`;
    if (client.conn instanceof GuardedStream) streams.set(client, client.conn);
    // Closed without a word: a refusal would be an answer.
    done(null, name === undefined || !hooks.isDeafTo(name));
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
        if (found.kind === 'node' && !clientIdBelongsTo(found.name, client.id)) {
          hooks.refused(found.node, `client id ${client.id} is not its own: use ${found.name}, or begin with ${found.name}.`);
          refuse('the client id must be the node id or begin with it and a full stop');
          return;
        }
        streams.get(client)?.admit();
        behind.set(client, found);
        done(null, true);
      })
      .catch((error: unknown) => {
        log.error({ err: error }, 'a connection could not be checked');
        done(Object.assign(new Error('try again'), { returnCode: 3 as const }), false);
      });
  };

  const behind = new WeakMap<Client, BrokerClient>();

  aedes.authorizePublish = (client, packet, done) => {
    const who = client ? behind.get(client) : undefined;
    const refuse = (why: string): void => {
      if (who && who.kind !== 'reader') hooks.refused(who.node, why);
      if (who?.kind === 'node') send(who.name, 'refused', { refused: [{ point: null, why }] });
      packet.topic = REFUSED_TOPIC;
      packet.payload = Buffer.alloc(0);
      packet.retain = false;
      done(null);
    };
    /** Acknowledged once it is decided; a connection whose message could not be is closed, so that it is sent again. */
    const decided = (client: Client, who: BrokerClient, work: Promise<void>): void => {
      work
        .then(() => done(null))
        .catch((error: unknown) => {
          log.warn({ err: error, client: who.name }, 'connection closed without acknowledging');
          const session = sessions.get(client.id);
          if (session) session.closedByUs = true;
          client.conn.destroy();
        });
    };
    // An error here makes the client send again for ever, and a throw ends the process: neither may happen.
    try {
      if (!client || !who) return refuse('not signed in');
      const payload = typeof packet.payload === 'string' ? Buffer.from(packet.payload) : packet.payload;
      if (who.kind === 'reader') return refuse('a reading account only listens');
      if (who.kind === 'adopted') {
        const { topic, retain } = packet;
        if (!hooks.mayUse(who.node, topic))
          return refuse(`may not publish to ${topic.slice(0, 80)}: name the topic among its own first, if it is`);
        // Its states are kept here as readings, not at the broker.
        packet.retain = false;
        return decided(client, who, hooks.heard(who.node, topic, payload, retain));
      }
      const { node } = who;
      const place = parseUpwardTopic(packet.topic);
      const leaf = place && place.node !== node.name && FOR_LEAVES.includes(place.channel) ? hooks.leafOf(node, place.node) : null;
      if (!place || (!leaf && !mayPublish(node.name, packet.topic)))
        return refuse(`may not publish to ${packet.topic.slice(0, 80)}: only to its own up, hello, log, have, done, gone`);
      if (packet.retain) return refuse(`retained messages are not taken (${place.channel}): send it without the retain flag`);
      if (place.channel === 'gone') return done(null);
      decided(client, who, hooks.received(leaf ?? node, place.channel, payload));
    } catch (error) {
      log.error({ err: error }, 'a publish could not be handled');
      refuse('the message could not be handled');
    }
  };

  const maySubscribeTo = (who: BrokerClient, topic: string): boolean => {
    if (who.kind === 'node') return maySubscribe(who.name, topic);
    // What it may not hear of these is not forwarded to it.
    if (who.kind === 'reader') return topic.startsWith(READER_TOPICS);
    return !/[+#]/.test(topic.split('/')[0] ?? '') && hooks.mayUse(who.node, topic.replace(/[+#]/g, 'x'));
  };
  aedes.authorizeSubscribe = (client, subscription, done) => {
    const who = client ? behind.get(client) : undefined;
    if (who && maySubscribeTo(who, subscription.topic)) {
      done(null, subscription);
      return;
    }
    if (who?.kind === 'node')
      hooks.refused(who.node, `may not subscribe to ${subscription.topic.slice(0, 80)}: only to its own set, do, refused`);
    else if (who?.kind === 'adopted')
      hooks.refused(who.node, `may not subscribe to ${subscription.topic.slice(0, 80)}: only to its own topics`);
    else log.warn({ account: who?.name, topic: subscription.topic.slice(0, 80) }, 'a subscription was refused');
    done(null, null);
  };

  aedes.authorizeForward = (client, packet) => {
    const who = behind.get(client);
    if (!who) return null;
    if (who.kind === 'reader') return hooks.mayHear(who.name, packet.topic) ? packet : null;
    return who.kind === 'node' || hooks.mayUse(who.node, packet.topic) ? packet : null;
  };

  aedes.on('clientReady', (client) => {
    const who = behind.get(client);
    if (!who) return;
    sessions.set(client.id, { who, client, closedByUs: false });
    if (who.kind !== 'reader') safely('a node has come', () => hooks.connected(who.node));
  });

  aedes.on('clientDisconnect', (client) => {
    const session = sessions.get(client.id);
    // A session that a newer one of the same id took over is not a lost link.
    if (!session || session.client !== client) return;
    sessions.delete(client.id);
    const { who } = session;
    if (who.kind !== 'reader' && !session.closedByUs && !isConnected(who.name)) safely('a node has gone', () => hooks.gone(who.node));
  });

  const sessionsOf = (name: string): number => [...sessions.values()].filter(({ who }) => who.name === name).length;
  const isConnected = (name: string): boolean => sessionsOf(name) > 0;

  const inTurn = new InTurn();
  const send = (name: string, channel: Downward, payload: object, retain = false): boolean => {
    const connected = isConnected(name);
    if (!connected && !retain) return false;
    inTurn.send(name, retain, (done) =>
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
          done();
        },
      ),
    );
    return connected;
  };

  const sockets = new Set<Socket>();
  const admit = (socket: Socket): void => {
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
  };
  const capped = (server: Server): void =>
    capPerAddress(server, options.connectionsPerAddress, (address) => log.warn({ address }, 'too many connections from one address'));
  const server: Server = createServer();
  capped(server);
  server.on('connection', admit);
  await listen(server, options.port, options.bind);
  const tls = options.tls ? createTlsServer() : null;
  if (tls && options.tls) {
    capped(tls);
    options.tls.serve(tls);
    tls.on('secureConnection', admit);
    tls.on('tlsClientError', (error: Error, socket: Socket) =>
      log.warn({ address: socket.remoteAddress, why: error.message }, 'a TLS greeting at the broker failed'),
    );
    await listen(tls, options.tls.port, options.bind);
  }

  return {
    port: (server.address() as AddressInfo).port,
    send,
    isConnected,
    disconnect(name) {
      for (const session of sessions.values()) if (session.who.name === name) session.client.close();
    },
    doors() {
      const tlsNodes = [...sessions.values()].filter(({ who, client }) => who.kind !== 'reader' && streams.get(client)?.secure);
      const nodes = [...sessions.values()].filter(({ who }) => who.kind !== 'reader');
      return { plain: nodes.length - tlsNodes.length, tls: tlsNodes.length };
    },
    sessionsOf,
    publishOut(topic, payload) {
      const text = payload === null ? '' : JSON.stringify(payload);
      aedes.publish({ cmd: 'publish', topic, payload: Buffer.from(text), qos: 0, retain: true, dup: false }, (error) => {
        if (error) log.error({ err: error, topic }, 'could not publish');
      });
    },
    tlsPort: tls ? (tls.address() as AddressInfo).port : null,
    connections: () => sessions.size,
    async close() {
      for (const session of sessions.values()) session.closedByUs = true;
      await new Promise<void>((resolve) => aedes.close(resolve));
      for (const socket of sockets) socket.destroy();
      for (const door of [server, tls]) if (door) await new Promise<void>((resolve) => door.close(() => resolve()));
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
