import type { Judging, SheetPoint } from '@dewpost/contract';

/** What the readings of a point are judged by, in its unit. */
export const judgingOf = ({ physicalMin, physicalMax, spikeStep, spikeWindow, stuckAfterSeconds, restsAt }: SheetPoint): Judging => ({
  ...{ physicalMin, physicalMax, spikeStep, stuckAfterSeconds },
  // Sheets of the first months say nothing of these.
  ...{ spikeWindow: (spikeWindow as number | null | undefined) ?? null, restsAt: (restsAt as number | null | undefined) ?? null },
});

/** A point as its sheet lays it down, called and judged as people have it at its node; `null`: as the sheet says. */
export const ownBody = (body: SheetPoint, own: { readonly label: string | null; readonly judging: Judging | null }): SheetPoint => ({
  ...body,
  ...(own.label !== null && { label: own.label }),
  ...own.judging,
});
