import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { catalogueOf, profileSchema, sheetDraftSchema, type Check, type Profile, type SheetDraft } from '.';
import { checkSheet, type Catalogue } from '.';

const folder = join(__dirname, '../../../catalogue');
/** Files of the catalogue that ships, for tests. */
export const shippedFiles = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((file) => file.endsWith('.json'));
export const shippedProfiles = shippedFiles.map((file): Profile =>
  profileSchema.parse(JSON.parse(readFileSync(join(folder, file), 'utf8'))),
);
export const shipped = catalogueOf(shippedProfiles);

/** The shipped catalogue with one profile changed. */
export const shippedWith = (id: string, change: (profile: never) => Profile): Catalogue =>
  catalogueOf([...shippedProfiles, change(shippedProfiles.find((one) => one.id === id) as never)]);

/** A draft with usual values where nothing is said. */
export const draftOf = (parts: SheetDraft['parts'], more: Partial<SheetDraft> = {}): SheetDraft =>
  sheetDraftSchema.parse({
    board: 'wifi-dual-38',
    supply: 'usb',
    reportSeconds: 60,
    eventsPerDay: 0,
    outdoors: false,
    cableMetres: 0.5,
    parts,
    fixed: {},
    dividers: {},
    ...more,
  });

/** Verdicts of one check on a draft. */
export const verdictsOf = (draft: SheetDraft, id: string, catalogue: Catalogue = shipped): string[] =>
  checkSheet(draft, catalogue)
    .checks.filter((check) => check.id === id)
    .map((check) => check.verdict);

export const foundIn = (checks: readonly Check[], id: string): Check | undefined => checks.find((check) => check.id === id);
