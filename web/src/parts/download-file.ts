/** Hands a text or picture to the browser as a file. */
export function download(name: string, type: string, content: string | Blob): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(typeof content === 'string' ? new Blob([content], { type }) : content);
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}

/** The drawing as a file of its own: colours and fonts written in, controls left out. */
export function svgText(svg: SVGSVGElement): string {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const live = [svg, ...svg.querySelectorAll<SVGElement>('*')];
  [copy, ...copy.querySelectorAll<SVGElement>('*')].forEach((element, i) => {
    const from = live[i];
    if (!from) return;
    const style = getComputedStyle(from);
    for (const property of [
      'fill',
      'stroke',
      'stroke-width',
      'stroke-dasharray',
      'font-family',
      'font-size',
      'font-weight',
      'opacity',
      'paint-order',
      'text-anchor',
    ])
      element.style.setProperty(property, style.getPropertyValue(property));
    for (const attribute of ['class', 'tabindex', 'role', 'aria-label', 'aria-pressed']) element.removeAttribute(attribute);
    for (const { name } of [...element.attributes]) if (name.startsWith('_ng')) element.removeAttribute(name);
  });
  for (const image of copy.querySelectorAll('image, [data-control]')) image.remove();
  copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg');
  return `<?xml version="1.0" encoding="UTF-8"?>\n${new XMLSerializer().serializeToString(copy)}`;
}

/** The same as a PNG, twice as many points as on the screen. */
export async function pngOf(svg: SVGSVGElement): Promise<Blob> {
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svgText(svg))}`;
  await image.decode();
  const canvas = document.createElement('canvas');
  const { width, height } = svg.getBoundingClientRect();
  canvas.width = width * 2;
  canvas.height = height * 2;
  const context = canvas.getContext('2d');
  if (!context) throw new Error('This browser cannot draw pictures.');
  context.scale(2, 2);
  context.drawImage(image, 0, 0, width, height);
  return new Promise((resolve, reject) =>
    canvas.toBlob((blob) => (blob ? resolve(blob) : reject(new Error('The picture could not be made.'))), 'image/png'),
  );
}
