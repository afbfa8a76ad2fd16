/** Says of a text whether every word that was typed stands in it, in any order and case; nothing typed finds everything. */
export function hasWords(typed: string): (text: string) => boolean {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  return (text) => words.every((word) => text.toLowerCase().includes(word));
}
