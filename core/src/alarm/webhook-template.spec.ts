import { fillTemplate, templateFault, type TemplateValues } from '.';

const VALUES: TemplateValues = {
  ...{ site: 'Wrenfold Mill', id: 'a', to: 'Night desk', title: 'Frost "hard"', text: '", "admin": true, "x": "\n{title}' },
  ...{ severity: 'critical', alertId: 7, trippedAt: null, sentAt: 5, link: null },
};

describe('a template of a webhook', () => {
  it('is filled in without leaving its strings, whatever a text holds; alone a value keeps its kind', () => {
    const json = JSON.parse(
      fillTemplate(
        '{"message": "{title}: {text}", "n": "{alertId}", "when": "{trippedAt}", "more": [{"by": "{site}, {link}"}], "k": 1}',
        VALUES,
      ),
    ) as object;
    expect(json).toEqual({
      message: 'Frost "hard": ", "admin": true, "x": "\n{title}',
      ...{ n: 7, when: null, more: [{ by: 'Wrenfold Mill, –' }], k: 1 },
    });
    expect(fillTemplate('{"a": "{other} {title"}', VALUES)).toBe('{"a":"{other} {title"}');
  });
  it('is refused in words where it could not be filled in', () => {
    expect(templateFault('{"message": "{title}: {text}", "n": [1, null, {"x": "{alertId}"}]}')).toBeNull();
    expect(templateFault('{"message": {title}}')).toMatch(/^no JSON: /);
    for (const none of ['"{title}"', '[1]', 'null']) expect(templateFault(none)).toMatch(/^one JSON object/);
    expect(templateFault('{"message": "{titel}"}')).toMatch(/^\{titel\} stands for nothing: use \{site\}, /);
  });
});
