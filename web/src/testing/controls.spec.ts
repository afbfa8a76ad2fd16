import { parseTemplate, tmplAstVisitAll, type TmplAstElement, TmplAstRecursiveVisitor } from '@angular/compiler';
import { readdirSync, readFileSync } from 'node:fs';
import { join, relative } from 'node:path';

const SOURCE = join(__dirname, '..');
const NATIVE = new Set(['input', 'select', 'textarea', 'table']);
/** What makes a native element one of Material's, or a file that is brought in. */
const MARKS = ['matInput', 'matSliderThumb', 'mat-table', 'matNativeControl'];
const PLAIN_TYPES = ['file', 'hidden'];

const templates = (): { file: string; text: string }[] =>
  readdirSync(SOURCE, { recursive: true, encoding: 'utf8' }).flatMap((name) => {
    const file = join(SOURCE, name);
    if (name.endsWith('.html')) return [{ file: name, text: readFileSync(file, 'utf8') }];
    if (!name.endsWith('.ts') || name.endsWith('.spec.ts')) return [];
    const inline = /\btemplate:\s*`([\s\S]*?)`,?\n/.exec(readFileSync(file, 'utf8'));
    return inline?.[1] === undefined ? [] : [{ file: relative(SOURCE, file), text: inline[1] }];
  });

/** Elements of a template that a person types into, chooses from or reads as a table, and that are nobody's but the browser's. */
function nativesOf(file: string, text: string): string[] {
  const { nodes, errors } = parseTemplate(text, file);
  if (errors && errors.length > 0) throw new Error(`${file}: ${errors.map((error) => error.msg).join('; ')}`);
  const found: string[] = [];
  class Natives extends TmplAstRecursiveVisitor {
    override visitElement(element: TmplAstElement): void {
      const names = [...element.attributes, ...element.inputs].map(({ name }) => name);
      const type = element.attributes.find(({ name }) => name === 'type')?.value ?? '';
      if (names.includes('ngModel')) found.push(`${file}: ngModel`);
      if (NATIVE.has(element.name) && !MARKS.some((mark) => names.includes(mark)) && !PLAIN_TYPES.includes(type))
        found.push(`${file}: <${element.name}>`);
      super.visitElement(element);
    }
  }
  tmplAstVisitAll(new Natives(), nodes);
  return found;
}

describe('controls', () => {
  it('are Material’s on every page: no bare field, list, table or ngModel', () => {
    const all = templates();
    expect(all.length).toBeGreaterThan(60);
    expect(all.flatMap(({ file, text }) => nativesOf(file, text))).toEqual([]);
  });
  it('would be found if one were bare', () => {
    expect(nativesOf('a.html', '@if (x > 2) { <label><input type="text" /></label> } <select [ngModel]="y"></select>')).toEqual([
      'a.html: <input>',
      'a.html: ngModel',
      'a.html: <select>',
    ]);
    expect(nativesOf('b.html', '<input matInput /><input type="file" /><table mat-table [dataSource]="z"></table>')).toEqual([]);
  });
});
