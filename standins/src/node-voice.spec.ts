import { NodeVoice } from './node-voice';

const ORDER = {
  id: 'order-00001',
  say: 'Pit too wet',
  severity: 'critical',
  seconds: 60,
  pattern: [800, 200] as [number, number],
} as const;

describe('a stand-in’s voice', () => {
  beforeEach(() => void jest.useFakeTimers());
  afterEach(() => void jest.useRealTimers());

  it('says it for its time, a later order in the place of an earlier one', () => {
    const heard: string[] = [];
    const voice = new NodeVoice((text) => heard.push(text));
    expect(voice.say(ORDER, true)).toEqual({ id: 'order-00001', said: true, why: '' });
    jest.advanceTimersByTime(59_000);
    expect(voice.saying).toBe('Pit too wet');
    voice.say({ ...ORDER, id: 'order-00002', say: 'Loft too warm', seconds: 10 }, true);
    jest.advanceTimersByTime(2000);
    expect(voice.saying).toBe('Loft too warm');
    jest.advanceTimersByTime(8000);
    expect(voice.saying).toBeNull();
    expect(heard).toEqual(['Pit too wet', 'Loft too warm']);
  });

  it('is hushed by whoever has heard it; what it says since goes on', () => {
    const voice = new NodeVoice(() => undefined);
    voice.say(ORDER, true);
    voice.say({ ...ORDER, id: 'order-00002', say: 'Loft too warm' }, true);
    voice.hushOf(ORDER.id);
    expect(voice.saying).toBe('Loft too warm');
    voice.hushOf('order-00002');
    expect(voice.saying).toBeNull();
  });

  it('shows what it is told until it is told otherwise, and nothing that nobody vouches for any more', () => {
    const voice = new NodeVoice(() => undefined);
    const show = { id: 'order-00003', show: 'Beds 41 %', light: 'green' as const, seconds: 600 };
    expect(voice.show(show)).toEqual({ id: 'order-00003', said: true, why: '' });
    jest.advanceTimersByTime(599_000);
    voice.show({ ...show, show: 'Beds 20 %', light: 'red' });
    // What it says of an alert goes before, and takes nothing of it away.
    voice.say(ORDER, true);
    jest.advanceTimersByTime(599_000);
    expect([voice.saying, voice.showing]).toEqual([null, { show: 'Beds 20 %', light: 'red' }]);
    jest.advanceTimersByTime(1000);
    expect(voice.showing).toBeNull();
    voice.show(show);
    voice.silence();
    expect(voice.showing).toBeNull();
  });

  it('chirps once a minute after five minutes without a link, and no more once it is back; without a sounder never', () => {
    const heard: string[] = [];
    const voice = new NodeVoice((text) => heard.push(text));
    const node = { connected: true, configuration: { outputs: ['pump'] } };
    const timer = voice.watch(node);
    const seconds = (count: number, connected: boolean): number => {
      node.connected = connected;
      jest.advanceTimersByTime(count * 1000);
      return heard.splice(0).length;
    };
    expect([seconds(60, true), seconds(300, false), voice.isChirping]).toEqual([0, 0, false]);
    expect([seconds(1, false), seconds(180, false), voice.isChirping]).toEqual([1, 3, true]);
    expect([seconds(1, true), voice.isChirping, seconds(300, false)]).toEqual([0, false, 0]);
    node.configuration.outputs = [];
    expect([seconds(600, false), voice.isChirping]).toEqual([0, false]);
    node.configuration.outputs = ['pump'];
    seconds(200, false);
    // Without power it counts nothing.
    voice.silence();
    expect([seconds(300, false), seconds(2, false)]).toEqual([0, 1]);
    clearInterval(timer);
  });

  it('is silent while an image is written, and says so; without power it says nothing', () => {
    const heard: string[] = [];
    const voice = new NodeVoice((text) => heard.push(text));
    expect(voice.say(ORDER, false)).toMatchObject({ said: false, why: 'an image is being written' });
    expect([heard, voice.saying]).toEqual([[], null]);
    voice.say(ORDER, true);
    voice.hush();
    expect(voice.saying).toBeNull();
  });
});
