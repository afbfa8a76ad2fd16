import { topicOf, type NodeConfiguration } from '@dewpost/core/wire';
import mqtt, { type MqttClient } from 'mqtt';
import type { BootLog } from './node-joining';

/** Opens a stand-in node's session at its broker, which goes on trying; `connected` hears each time the link stands. */
export function openSession(
  { broker, node, key }: NodeConfiguration,
  parts: { log: BootLog | undefined; connected: (client: MqttClient) => void; heard: (topic: string, text: string) => void },
): MqttClient {
  const client = mqtt.connect({
    host: broker.host,
    port: broker.port,
    clientId: node,
    username: node,
    password: key,
    protocolVersion: 4,
    clean: true,
    reconnectPeriod: 1000,
    connectTimeout: 5000,
    queueQoSZero: false,
    will: { topic: topicOf(node, 'gone'), payload: Buffer.from('{}'), qos: 0, retain: false },
  });
  client.on('connect', () => {
    parts.log?.('broker', `connected to ${broker.host}:${broker.port}`);
    client.subscribe([topicOf(node, 'set'), topicOf(node, 'do'), topicOf(node, 'refused')], { qos: 1 });
    parts.connected(client);
  });
  client.on('message', (topic, payload) => parts.heard(topic, payload.toString('utf8')));
  client.on('error', (error) => {
    if (/not authorized|bad user|refused:/i.test(error.message)) parts.log?.('broker', 'the broker refused the key', 'broker-refused');
    else parts.log?.('broker', `the broker cannot be reached: ${error.message}`, 'broker-unreachable');
  });
  return client;
}
