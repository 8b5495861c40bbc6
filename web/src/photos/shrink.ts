/** Longest side of what is sent, px: what the server keeps. */
const SENT_PX = 1600;

const toBase64 = (blob: Blob): Promise<string> =>
  new Promise((resolve, reject) => {
    const reader = new FileReader();
    reader.onerror = () => reject(new Error('That file cannot be read.'));
    reader.onload = () => resolve((reader.result as string).replace(/^[^,]*,/, ''));
    reader.readAsDataURL(blob);
  });

/**
 * A photograph as it is sent: upright and small enough to wait on a tablet in a dead spot. What this browser cannot open goes
 * as it is; the server says what it makes of it.
 * @returns base64 of the file
 */
export async function shrink(file: File): Promise<string> {
  let picture: ImageBitmap;
  try {
    picture = await createImageBitmap(file);
  } catch {
    return toBase64(file);
  }
  const scale = Math.min(1, SENT_PX / Math.max(picture.width, picture.height));
  const canvas = document.createElement('canvas');
  canvas.width = Math.max(1, Math.round(picture.width * scale));
  canvas.height = Math.max(1, Math.round(picture.height * scale));
  canvas.getContext('2d')!.drawImage(picture, 0, 0, canvas.width, canvas.height);
  picture.close();
  const jpeg = await new Promise<Blob | null>((done) => canvas.toBlob(done, 'image/jpeg', 0.82));
  return toBase64(jpeg ?? file);
}
