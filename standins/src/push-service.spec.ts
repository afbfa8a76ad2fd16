import { createECDH } from 'node:crypto';
import { decryptPush, PushService } from './push-service';
import webPush from 'web-push';

const bytes = (text: string): Buffer => Buffer.from(text, 'base64url');

describe('a push service that plays a browser', () => {
  // RFC 8291, section 5 and appendix A: keys of the browser, the message as it is sent, and what it says. The tag would not hold for another.
  it('reads the example of RFC 8291', () => {
    const ecdh = createECDH('prime256v1');
    ecdh.setPrivateKey(bytes('q1dXpw3UpT5VOmu_cf_v6ih07Aems3njxI-JWgLcM94'));
    expect(ecdh.getPublicKey('base64url')).toBe('BCVxsr7N_eNgVRqvHtD0zTZsEc6-VV-JvLexhqUzORcxaOzi6-AYWXvTBHm4bjyPjs7Vd8pZGH6SRpkNtoIAiw4');
    const message = bytes(
      'DGv6ra1nlYgDCS1FRnbzlwAAEABBBP4z9KsN6nGRTbVYI_c7VJSPQTBtkgcy27mlmlMoZIIgDll6e3vCYLocInmYWAmS6TlzAC8wEqKK6PBru3jl7A' +
        '_yl95bQpu6cVPTpK4Mqgkf1CXztLVBSt2Ks3oZwbuwXPXLWyouBWLVWGNWQexSgSxsj_Qulcy4a-fN',
    );
    const auth = bytes('BTBZMqHH6r4Tts7J_aSIgg');
    expect(decryptPush(message, { ecdh, auth })).toBe('When I grow up, I want to be a watermelon');
    message[120] = (message[120] ?? 0) ^ 1;
    expect(() => decryptPush(message, { ecdh, auth })).toThrow();
    expect(() => decryptPush(bytes('DGv6'), { ecdh, auth })).toThrow('names no key');
  });

  const house = webPush.generateVAPIDKeys();
  const send = (endpoint: string, keys: { p256dh: string; auth: string }, by = house) => {
    const { headers, body } = webPush.generateRequestDetails({ endpoint, keys }, JSON.stringify({ title: 'Frost', text: 'in the beds' }), {
      vapidDetails: { subject: 'mailto:mill@example.org', publicKey: by.publicKey, privateKey: by.privateKey },
      contentEncoding: 'aes128gcm',
      TTL: 60,
    });
    return {
      headers: Object.fromEntries(Object.entries(headers).map(([name, value]) => [name.toLowerCase(), String(value)])),
      body: body!,
    };
  };
  it('takes what the house sends; not what another sends, what is altered, late or meant for somebody who has gone', () => {
    const service = new PushService();
    const { endpoint, keys } = service.subscribe(house.publicKey, 'http://127.0.0.1:8481');
    const id = endpoint.split('/').at(-1)!;
    const now = Date.now();
    const { headers, body } = send(endpoint, keys);
    expect(service.take(id, headers, body, now)).toEqual({
      status: 201,
      detail: 'pushed',
      pushed: { title: 'Frost', text: 'in the beds' },
    });
    expect(service.take(id, headers, body, now + 2 * 86_400_000)).toMatchObject({ status: 403, pushed: null });
    const other = send(endpoint, keys, webPush.generateVAPIDKeys());
    expect(service.take(id, other.headers, other.body, now)).toMatchObject({ status: 403, detail: 'another house has subscribed' });
    const elsewhere = send('http://push.example/x', keys);
    expect(service.take(id, elsewhere.headers, elsewhere.body, now)).toMatchObject({ status: 403, pushed: null });
    const forged = { ...headers, authorization: String(headers['authorization']).replace(/t=[\w-]+/, 't=eyJhbGciOiJub25lIn0') };
    expect(service.take(id, forged, body, now)).toMatchObject({ status: 403, detail: 'the signature is wrong' });
    expect(service.take(id, { ...headers, 'content-encoding': 'identity' }, body, now).status).toBe(400);
    service.unsubscribe(id);
    expect(service.take(id, headers, body, now)).toMatchObject({ status: 410, pushed: null });
  });
});
