import { PICTURE_BYTES_MOST } from '@dewpost/contract';

/** Longest side of a kept picture, points. */
const SIDE = 2400;
const FILE_BYTES_MOST = 40_000_000;

/** A picture ready to be sent. */
export interface PictureBytes {
  readonly base64: string;
  readonly width: number;
  readonly height: number;
}

/**
 * Makes a picture of a PNG, JPEG or SVG file by drawing it, never by showing it: an SVG's scripts and links do nothing in
 * an image element. Throws what is wrong with the file in words.
 */
export async function pictureOf(file: File): Promise<PictureBytes> {
  if (!/^image\/(png|jpeg|svg\+xml)$/.test(file.type))
    throw new Error(`${file.name} is no PNG, JPEG or SVG: export the drawing as one of them.`);
  if (file.size > FILE_BYTES_MOST)
    throw new Error(`${file.name} has ${Math.round(file.size / 1e6)} MB: at most 40 can be read. Make it smaller first.`);
  const image = await loaded(file);
  // An SVG without a size of its own has none here either.
  const [width, height] = [image.naturalWidth || 1600, image.naturalHeight || 1200];
  let scale = Math.min(1, SIDE / Math.max(width, height));
  if (file.type === 'image/svg+xml') scale = SIDE / Math.max(width, height);
  for (const type of ['image/png', 'image/jpeg']) {
    for (const smaller of [1, 0.7, 0.5]) {
      const canvas = document.createElement('canvas');
      canvas.width = Math.max(16, Math.round(width * scale * smaller));
      canvas.height = Math.max(16, Math.round(height * scale * smaller));
      const context = canvas.getContext('2d');
      if (!context) throw new Error('This browser cannot draw pictures.');
      context.fillStyle = '#fff';
      context.fillRect(0, 0, canvas.width, canvas.height);
      context.drawImage(image, 0, 0, canvas.width, canvas.height);
      const base64 = canvas.toDataURL(type, 0.85).split(',')[1] ?? '';
      if ((base64.length * 3) / 4 < PICTURE_BYTES_MOST) return { base64, width: canvas.width, height: canvas.height };
    }
  }
  throw new Error(`${file.name} does not become small enough: draw it with fewer points a side.`);
}

function loaded(file: File): Promise<HTMLImageElement> {
  return new Promise((resolve, reject) => {
    const reader = new FileReader();
    reader.onerror = () => reject(new Error(`${file.name} could not be read.`));
    reader.onload = () => {
      const image = new Image();
      image.onload = () => resolve(image);
      image.onerror = () =>
        reject(new Error(`${file.name} is not a picture that can be drawn: open it in a drawing program and export it again.`));
      // A data address: the page's content policy allows no other, and a blob would have to be let go.
      image.src = reader.result as string;
    };
    reader.readAsDataURL(file);
  });
}
