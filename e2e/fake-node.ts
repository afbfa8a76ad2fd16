import mqtt from 'mqtt';

/** A client that speaks for a node and answers who takes its signal. */
export interface SpeakingNode {
  say(channel: string, body: object): Promise<unknown>;
  end(): Promise<void>;
}

/** What is under way when the client ends is not answered any more. */
const late = (): void => undefined;

/** Connects as a node, says what `values` gives again and again, and tells its level and supply when it is asked to. */
export async function speakAs(
  { id, key, host = '127.0.0.1', port }: { id: string; key: string; host?: string; port: number },
  values: () => object,
): Promise<SpeakingNode> {
  const client = await mqtt.connectAsync({ host, port, protocolVersion: 4, clientId: id, username: id, password: key, reconnectPeriod: 0 });
  const say = (channel: string, body: object): Promise<unknown> =>
    client.publishAsync(`dp/1/${id}/${channel}`, JSON.stringify(body), { qos: 1 });
  const beat = setInterval(() => void say('up', values()).catch(late), 700);
  client.on('message', (_topic, payload) => {
    const { ask, seconds } = JSON.parse(payload.toString()) as { ask?: string; seconds?: number };
    if (ask !== 'fit') return;
    for (let s = 0; s <= (seconds ?? 0); s++)
      setTimeout(() => void say('fit', { rssiDbm: -61 - (s % 2), supplyVolts: 4.9 }).catch(late), s * 1000);
  });
  await client.subscribeAsync(`dp/1/${id}/do`, { qos: 1 });
  return {
    say,
    end: async () => {
      clearInterval(beat);
      await client.endAsync(true);
    },
  };
}
