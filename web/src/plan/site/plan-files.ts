import { fromGeoJson, sitePlanSchema, type SitePlan } from '@dewpost/core/site-plan';
import { ZodError } from 'zod';

/** Reads a plan from a file's text, the project's own or GeoJSON; pictures that are not kept here are taken off. Throws in words. */
export function planOfText(name: string, text: string, current: SitePlan, material: string): { plan: SitePlan; notes: string[] } {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    throw new Error(`${name} is not JSON: it breaks off or holds something else. Export it again.`);
  }
  try {
    if ((json as { type?: unknown } | null)?.type === 'FeatureCollection') return fromGeoJson(json, current, material);
    return { plan: sitePlanSchema.parse(json), notes: [] };
  } catch (error) {
    if (!(error instanceof ZodError)) throw error;
    const lines = error.issues.slice(0, 3).map((issue) => `${issue.path.join('.') || 'the file'}: ${issue.message}`);
    const more = error.issues.length > 3 ? `, and ${error.issues.length - 3} more` : '';
    throw new Error(`${name} cannot be used. ${lines.join('; ')}${more}. Nothing on your plan was changed.`, { cause: error });
  }
}
