import { MOST_PHOTO_BYTES } from '@cellmend/contract/photos';
import { InputProblem } from '@cellmend/core/pack';
import { createHash } from 'node:crypto';
import sharp from 'sharp';

/** Longest side of what is kept and of its small one, px. */
const KEPT_PX = 1600;
const SMALL_PX = 320;
/** A file of few bytes may unpack to a picture of any size. */
const MOST_PIXELS = 60e6;
const MOST_S = 15;

// One thread a picture: readings are stored beside it.
sharp.concurrency(1);
sharp.cache(false);

export interface Picture {
  sha256: string;
  widthPx: number;
  heightPx: number;
  bytes: Buffer;
  small: Buffer;
}

const isPhoto = (b: Buffer): boolean =>
  b.subarray(0, 3).equals(Buffer.from([0xff, 0xd8, 0xff])) ||
  b.subarray(0, 8).equals(Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a])) ||
  (b.toString('latin1', 0, 4) === 'RIFF' && b.toString('latin1', 8, 12) === 'WEBP');

const cannot = (what: string): InputProblem =>
  new InputProblem('photo', what, 'the photograph', 'A whole JPEG, PNG or WebP of at most 8 MB.');

const drawSmall = (bytes: Buffer): Promise<Buffer> =>
  sharp(bytes, { limitInputPixels: MOST_PIXELS, failOn: 'truncated' })
    .timeout({ seconds: MOST_S })
    .resize({ width: SMALL_PX, height: SMALL_PX, fit: 'inside', withoutEnlargement: true })
    .jpeg({ quality: 72 })
    .toBuffer();

/** The small one of a photograph as it is kept. @throws InputProblem for what is no photograph */
export async function makeSmall(bytes: Buffer): Promise<Buffer> {
  if (bytes.length > MOST_PHOTO_BYTES || !isPhoto(bytes)) throw cannot('That file is no photograph.');
  return drawSmall(bytes).catch(() => {
    throw cannot('That photograph is not whole.');
  });
}

/**
 * A photograph as it is kept: told by its content, not its name; turned upright, at most 1600 px, drawn anew as JPEG, so that
 * nothing that came with the file (place, device, anything hidden) stays.
 * @throws InputProblem for what is none, is not whole, or is too large
 */
export async function makePicture(file: Buffer): Promise<Picture> {
  if (file.length > MOST_PHOTO_BYTES) throw cannot('That file is too large.');
  if (!isPhoto(file)) throw cannot('That file is no photograph.');
  try {
    const { data: bytes, info } = await sharp(file, { limitInputPixels: MOST_PIXELS, failOn: 'truncated' })
      .timeout({ seconds: MOST_S })
      .autoOrient()
      .resize({ width: KEPT_PX, height: KEPT_PX, fit: 'inside', withoutEnlargement: true })
      .flatten({ background: '#ffffff' })
      .jpeg({ quality: 80 })
      .toBuffer({ resolveWithObject: true });
    const small = await drawSmall(bytes);
    const sha256 = createHash('sha256').update(bytes).digest('hex');
    return { sha256, widthPx: info.width, heightPx: info.height, bytes, small };
  } catch (e) {
    if (e instanceof InputProblem) throw e;
    throw cannot(
      /pixel limit/i.test((e as Error).message)
        ? 'That picture has too many pixels.'
        : 'That photograph is not whole.',
    );
  }
}
