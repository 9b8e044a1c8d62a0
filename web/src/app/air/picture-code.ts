import { FileError } from '../ui/files';
import { codeWorker } from '../workers/code.factory';
import type { CodeAnswer } from '../workers/code.messages';

/** Points on the longer side of a picture, beyond which it is made smaller: a code needs far fewer. */
const LONGEST = 1600;
const LARGEST = 40_000_000;

/** Octets of the code in a picture; nothing of it leaves the browser. @throws FileError */
export async function octetsOfPicture(file: File): Promise<Uint8Array> {
  if (file.size > LARGEST) throw new FileError(`"${file.name}" is larger than 40 MB; is it the right file?`);
  const picture = await createImageBitmap(file).catch(() => {
    throw new FileError(
      `"${file.name}" is no picture that can be shown. Take a screenshot or a photo of the code.`,
    );
  });
  const scale = Math.min(1, LONGEST / Math.max(picture.width, picture.height));
  const width = Math.max(1, Math.round(picture.width * scale));
  const height = Math.max(1, Math.round(picture.height * scale));
  const canvas = document.createElement('canvas');
  canvas.width = width;
  canvas.height = height;
  const pen = canvas.getContext('2d');
  if (!pen) throw new FileError('This browser draws no pictures, so the code has to be pasted as text.');
  // Codes with a clear ground are dark on nothing.
  pen.fillStyle = 'white';
  pen.fillRect(0, 0, width, height);
  pen.drawImage(picture, 0, 0, width, height);
  picture.close();
  const { data: points } = pen.getImageData(0, 0, width, height);
  const worker = codeWorker();
  try {
    const { octets } = await new Promise<CodeAnswer>((done, fail) => {
      worker.onmessage = ({ data }: MessageEvent<CodeAnswer>) => done(data);
      worker.onerror = () => fail(new FileError('The picture could not be read. Paste the code as text.'));
      worker.postMessage({ points, width, height }, [points.buffer]);
    });
    if (octets) return octets;
  } finally {
    worker.terminate();
  }
  throw new FileError(
    `No code was found in "${file.name}". Have the whole code in it, sharp and straight, with white around it.`,
  );
}
