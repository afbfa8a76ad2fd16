import { counted } from '../quantity';
import { REWRITE_HOURS, VISIT_HOURS, type Finding, type SiteSheet } from './finding';

/** Checks whose failing may hurt someone. */
const HARM = new Set([
  'fail-safe',
  'protection',
  'contact',
  'fuse',
  'start-level',
  'coil',
  'watchdog',
  'max-run',
  'wiring',
  'measured-volts',
  'unseen',
  'sign-of-life',
  'frost',
]);
/** Hours a node: taking it down, soldering anew, writing and hanging it again. Common practice, from memory. */
const HOURS: Readonly<Record<string, number>> = {
  pins: 1.5,
  'pin-kept': 1.5,
  strap: 1,
  'i2c-pull-up': 0.75,
  'i2c-address': 0.75,
  'adc-range': 1,
  'logic-volts': 1.5,
  'part-volts': 1.5,
  'supply-volts': 1,
  sag: 1,
  weather: 1.5,
  wake: 1,
  lease: 1,
  unseen: 1.5,
  'pulses-asleep': 1.5,
  'always-fed': 1.5,
  wiring: 1.5,
  'measured-volts': 1.5,
  antenna: 1,
};
const YEARS = 2;
const SHORT_LIFE_DAYS = 365;
const FAILING_LIFE_DAYS = 90;
/** Days without sun that a panel's battery should carry, and of a power cut that a backup should. Common practice. */
const DARK_DAYS = 5;
const CUT_DAYS = 0.25;

/** What fails or warns of build sheets, and of the batteries that they have. */
export function ofSheets(sheets: readonly SiteSheet[]): Finding[] {
  return sheets.flatMap((sheet) => {
    const at = { page: 'sheet' as const, slug: sheet.slug };
    const count = Math.max(1, sheet.nodes);
    const checks = sheet.checks.flatMap((check): Finding[] => {
      if (check.verdict === 'pass') return [];
      const hours = HOURS[check.id] ?? (check.verdict === 'fail' ? 1 : 0.25);
      return [
        {
          verdict: check.verdict,
          title: `${sheet.name}: ${check.title.charAt(0).toLowerCase()}${check.title.slice(1)}`,
          detail: `${check.figure}${check.limit ? `, limit ${check.limit}` : ''}. ${check.reason}`,
          nodes: sheet.nodes,
          // Frost only warns, and may burn all the same.
          harm: (check.verdict === 'fail' || check.id === 'frost') && HARM.has(check.id),
          hoursLater: hours * count,
          at,
        },
      ];
    });
    // The same reminder of several parts of a sheet is one.
    const once = checks.filter((one, i) => checks.findIndex((other) => other.title === one.title && other.detail === one.detail) === i);
    const life = ofBattery(sheet, at);
    if (life) once.push(life);
    if (sheet.behind > 0)
      once.push({
        verdict: 'warn',
        title: `${sheet.name}: ${sheet.behind === 1 ? 'one node runs' : `${sheet.behind} nodes run`} an older version`,
        detail: 'Their wiring and points are those of the sheet before: write them again, or build them as it says now.',
        nodes: sheet.behind,
        harm: false,
        hoursLater: sheet.behind * REWRITE_HOURS,
        at,
      });
    return once;
  });
}

/** A battery that is changed too often, or carries its node too short a time through the dark or a power cut. */
function ofBattery(sheet: SiteSheet, at: Finding['at']): Finding | null {
  if (sheet.battery === null || sheet.nodes === 0) return null;
  const { role, days } = sheet.battery;
  const about = { nodes: sheet.nodes, harm: false, at };
  if (role === 'primary' || role === 'rechargeable') {
    if (days >= SHORT_LIFE_DAYS) return null;
    const changes = Math.floor((YEARS * 365) / Math.max(1, days));
    const act = role === 'primary' ? 'change' : 'charge';
    return {
      ...about,
      verdict: days < FAILING_LIFE_DAYS ? 'fail' : 'warn',
      title: `${sheet.name}: the battery may last ${counted(Math.floor(days), 'day')} only`,
      detail: `${counted(changes, act)} in two years at ${sheet.nodes === 1 ? 'its one node' : `each of its ${sheet.nodes} nodes`}. Report less often, or take a larger battery.`,
      hoursLater: changes * sheet.nodes * VISIT_HOURS,
    };
  }
  const wanted = role === 'charged by panel' ? DARK_DAYS : CUT_DAYS;
  if (role === 'mains' || days >= wanted) return null;
  const hours = Math.floor(days * 24);
  return {
    ...about,
    verdict: 'warn',
    title: `${sheet.name}: its battery carries it ${days < 2 ? counted(hours, 'hour') : counted(Math.floor(days), 'day')} only`,
    detail:
      role === 'charged by panel'
        ? 'A dark week empties it, whatever the panel: take a larger battery, or report less often.'
        : 'A longer power cut takes it along: take a larger battery where it has to go on.',
    hoursLater: sheet.nodes * VISIT_HOURS,
  };
}
