import { disableTypes, imageSize, types } from 'image-size';

/** A picture as a browser shows it: type, and width and height in points. */
export interface PictureHeader {
  type: 'image/png' | 'image/jpeg';
  width: number;
  height: number;
}

/** Nothing else is taken, so that nothing else is tried. */
disableTypes(types.filter((type) => type !== 'png' && type !== 'jpg'));
/** From here on a photo lies on its side: the browser turns it, and width and height change places (Exif 2.32, tag 0x0112). */
const FIRST_ON_ITS_SIDE = 5;

/** Type and size of a PNG or JPEG by its own header; `null` for anything else. The rest of the file is the browser's to judge. */
export function pictureHeader(bytes: Uint8Array): PictureHeader | null {
  try {
    const { type, width, height, orientation = 1 } = imageSize(bytes);
    const onItsSide = orientation >= FIRST_ON_ITS_SIDE;
    return {
      type: type === 'png' ? 'image/png' : 'image/jpeg',
      width: onItsSide ? height : width,
      height: onItsSide ? width : height,
    };
  } catch {
    // What it cannot read it throws at: that is its way to say that these bytes are none of the two.
    return null;
  }
}
