import type { Firmware, provision } from '@dewpost/contract';
import {
  cutParts,
  encodeConfigurationRegion,
  enter,
  identify,
  isLater,
  md5Of,
  prepare,
  prove,
  restart,
  RomDriver,
  RomError,
  write,
  type Progress,
  type SignalPort,
} from '@dewpost/core/rom-loader';
import { LinkError, SerialLink } from '@dewpost/core/serial';
import type { NodeConfiguration } from '@dewpost/core/wire';
import type * as z from 'zod';
import { HAND_SECONDS } from './boot-button';
import { after, LISTEN_ON_MS, watchJoin, type WritingTells } from './serial-writing';
import { StepFailure } from './step-failure';

/** How a board that holds nothing of ours is written. */
export type Fresh = NonNullable<z.output<(typeof provision.begin)['reply']>['fresh']>;

/** The rate that our own firmware's log goes at. */
const OWN_RATE = 921_600;

/** A zlib stream of these bytes (RFC 1950), as the loaders of the later families want it. */
async function packed(bytes: Uint8Array): Promise<Uint8Array> {
  const stream = new Blob([Uint8Array.from(bytes)]).stream().pipeThrough(new CompressionStream('deflate'));
  return new Uint8Array(await new Response(stream).arrayBuffer());
}

/** Writes a board fresh from the shop through the boot loader in its chip: parts, their digests by the chip itself, the configuration; and listens how it joins. */
export async function writeFresh(
  port: SignalPort,
  fresh: Fresh & { firmware: Firmware },
  image: Uint8Array,
  configuration: NodeConfiguration,
  tells: WritingTells,
): Promise<void> {
  const { family, boot, flashBytes, firmware } = fresh;
  const begun = performance.now();
  const line = (text: string): void => tells.line({ ms: Math.round(performance.now() - begun), tag: 'rom', text: text.slice(0, 200) });
  let startedAt = performance.now();
  const progress = (one: Progress): void => {
    tells.erasing(one.kind === 'erasing' ? one.longestMs : null);
    if (one.kind === 'erasing')
      line(`erasing ${Math.round(one.bytes / 1024)} kB; the chip is silent meanwhile, ${Math.round(one.longestMs / 1000)} s at most`);
    if (one.kind === 'waiting for the boot loader' && one.tries > 0) line('asked again for the boot loader');
    if (one.kind !== 'writing') return;
    const rate = (one.sent * 1000) / Math.max(1, performance.now() - startedAt);
    tells.written(one.sent / one.of, rate, (one.of - one.sent) / rate);
  };
  const driver = new RomDriver(port, after, { progress, text: line });
  const run = async <T>(step: Parameters<WritingTells['step']>[0], session: Parameters<typeof driver.run<T>>[0]): Promise<T> => {
    try {
      return await driver.run(session);
    } catch (error) {
      if (error instanceof RomError) throw new StepFailure(step, error.fault, error.message);
      throw error;
    }
  };
  const parts = cutParts(image, firmware.parts ?? []);
  try {
    await tells.step('check', async () => {
      const byHand = boot.way === 'button';
      if (byHand) tells.hand(boot);
      await run('check', enter(boot.way, byHand ? HAND_SECONDS : 3)).finally(() => tells.hand(null));
      await run('check', identify(family));
      await run('check', prepare(family, flashBytes));
      return { detail: `${family}, in its boot loader; nothing of ours on it` };
    });
    await tells.step('write', async () => {
      const writes = await Promise.all(
        parts.map(async ({ part, bytes }) => ({ at: part.at, bytes, packed: isLater(family) ? await packed(bytes) : null })),
      );
      const of = writes.reduce((sum, one) => sum + (one.packed ?? one.bytes).length, 0);
      let sent = 0;
      startedAt = performance.now();
      for (const one of writes) sent = await run('write', write(family, one, { sent, of }));
      return { detail: `${firmware.name} ${firmware.version}, ${parts.length} parts, ${image.length} bytes, ${sent} on the line` };
    });
    await tells.step('digest', async () => {
      for (const { part, bytes } of parts) await run('digest', prove(family, part.at, bytes.length, md5Of(bytes)));
      return { detail: `the chip’s own MD5 of ${parts.length} parts, alike` };
    });
    await tells.step('configure', async () => {
      const region = firmware.configuration;
      if (!region) return { detail: 'skipped: the image has no region for it; it is built in' };
      const bytes = encodeConfigurationRegion(configuration, region.bytes);
      if (!bytes) throw new StepFailure('configure', 'storeFull', `The configuration does not go into ${region.bytes} bytes.`);
      await run('configure', write(family, { at: region.at, bytes, packed: null }, { sent: 0, of: bytes.length }));
      await run('configure', prove(family, region.at, bytes.length, md5Of(bytes)));
      return { detail: `region at 0x${region.at.toString(16)} written and proved` };
    });
    let link: SerialLink | null = null;
    try {
      await tells.step('join', async () => {
        await port.rate(OWN_RATE);
        link = new SerialLink(port, after);
        const join = watchJoin(
          link,
          configuration.networks.map(({ name }) => name),
          tells,
        );
        join.restarted();
        await driver.run(restart());
        return { detail: await join.joined };
      });
    } finally {
      // The log goes on for a moment: the broker's answer comes after the join.
      setTimeout(() => port.close(), LISTEN_ON_MS);
    }
  } catch (error) {
    if (!(error instanceof LinkError)) port.close();
    throw error;
  }
}
