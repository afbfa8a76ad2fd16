/** Names of points that came and are not known yet, from lines of a source's log; the newest first, each once. */
export function unknownPoints(lines: readonly { readonly text: string }[], known: ReadonlySet<string>): string[] {
  const names = lines.flatMap(({ text }) => /^([a-z0-9-]+): unknown point/.exec(text)?.[1] ?? []);
  return [...new Set(names)].filter((name) => !known.has(name));
}
