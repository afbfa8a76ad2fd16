/** Where drawings that are not saved yet are kept in this browser. */
export const SHEET_DRAFTS = 'dewpost.sheet-draft';
export const SITE_PLAN_DRAFT = 'dewpost.site-plan';

/** How many drawings wait to be saved in this browser. */
export function countDrafts(kept: Pick<Storage, 'length' | 'key'> = localStorage): number {
  return Array.from({ length: kept.length }, (_, i) => kept.key(i) ?? '').filter(
    (key) => key === SITE_PLAN_DRAFT || key.startsWith(`${SHEET_DRAFTS}.`),
  ).length;
}
