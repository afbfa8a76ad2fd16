import { profileSchema, type Profile } from '@dewpost/core/circuit';

/** A profile as the text of its file. */
export const textOf = (profile: Profile): string => `${JSON.stringify(profile, null, 1)}\n`;

/** What is wrong at one place of a file. */
export interface TextProblem {
  readonly path: string;
  readonly message: string;
}

/** Reads a profile from a file's text; else says path by path what is wrong and what is expected there. */
export function readProfile(text: string): { profile: Profile } | { problems: readonly TextProblem[] } {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch (error) {
    const why = error instanceof Error ? error.message : String(error);
    return { problems: [{ path: 'the file', message: `is not JSON (${why}): check quotes, commas and brackets` }] };
  }
  const parsed = profileSchema.safeParse(json);
  if (parsed.success) return { profile: parsed.data };
  return {
    problems: parsed.error.issues.slice(0, 12).map((issue) => ({ path: issue.path.join('.') || 'the file', message: issue.message })),
  };
}

/** A copy under a name and id of its own. What was measured or published of the first is not of the copy. */
export function duplicateOf(profile: Profile, taken: ReadonlySet<string>): Profile {
  let id = `${profile.id.slice(0, 52)}-own`;
  for (let i = 2; taken.has(id); i++) id = `${profile.id.slice(0, 50)}-own-${i}`;
  return { ...profile, id, name: `${profile.name.slice(0, 72)}, own`, origin: 'memory' };
}
