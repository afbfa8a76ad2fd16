import { provision, type BenchStep, type Firmware } from '@dewpost/contract';
import { messageOf, type Api } from '../../data/api';
import { StepFailure } from './step-failure';
import { stubborn } from './stubborn';

/** The bytes of an image, as many as the library says: an answer that is an error is never written to a board. */
export async function imageOf(api: Api, firmware: Firmware): Promise<Uint8Array> {
  const answer = await stubborn(() => api.bytes(`/api/v1/firmware/${encodeURIComponent(firmware.id)}/image`)).catch((error: unknown) => {
    throw new StepFailure('check', 'image-gone', messageOf(error));
  });
  if (answer.length !== firmware.bytes)
    throw new StepFailure('check', 'image-gone', `The library sent ${answer.length} bytes of ${firmware.bytes}.`);
  return answer;
}

/** Writes into the ledger what became of a step. */
export async function reportStep(
  api: Api,
  run: number,
  step: BenchStep,
  state: 'done' | 'failed',
  ms: number | null,
  detail: string,
  code: string | null,
  hardwareId?: string,
): Promise<void> {
  await stubborn(() =>
    api.call(provision.step, { params: { id: run }, body: { step, state, ms, detail, code, ...(hardwareId && { hardwareId }) } }),
  );
}
