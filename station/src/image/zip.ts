import { crc32 } from 'node:zlib';
import yauzl, { type Entry, type ZipFile } from 'yauzl';
import { ImageError } from './image-error';

const imageName = /\.(img|raw|wic|iso|bin)$/i;
/** Files that some systems put beside the real ones. */
const beside = /(^|\/)(__MACOSX\/|\.)/;
/** Members that are looked at; an archive of images has a handful. */
const mostMembers = 1000;

const damaged = (): ImageError =>
  new ImageError('damaged', 'The zip archive is cut off or damaged. Get it again.');

const open = (path: string): Promise<ZipFile> =>
  new Promise((resolve, reject) => {
    yauzl.open(path, { lazyEntries: true, autoClose: false }, (error, zip) => {
      if (error) reject(damaged());
      else resolve(zip);
    });
  });

/** Every file of an archive (APPNOTE.TXT of the ZIP format, section 4.3.12). @throws ImageError when it is damaged */
const membersOf = (zip: ZipFile): Promise<Entry[]> =>
  new Promise((resolve, reject) => {
    const entries: Entry[] = [];
    zip.on('error', () => reject(damaged()));
    zip.on('end', () => resolve(entries));
    zip.on('entry', (entry: Entry) => {
      if (!entry.fileName.endsWith('/') && !beside.test(entry.fileName)) entries.push(entry);
      if (entries.length > mostMembers)
        reject(new ImageError('packing', 'The archive holds too many files.'));
      else zip.readEntry();
    });
    zip.readEntry();
  });

/** The member that is the image. @throws ImageError when there is none, or several could be meant */
function imageOf(entries: readonly Entry[]): Entry {
  const images = entries.filter(({ fileName }) => imageName.test(fileName));
  const [only] = images.length > 0 ? images : entries;
  if (!only) throw new ImageError('packing', 'The zip archive holds no file. Choose another one.');
  if (images.length > 1 || (images.length === 0 && entries.length > 1)) {
    const names = (images.length > 0 ? images : entries).map(({ fileName }) => fileName);
    throw new ImageError(
      'packing',
      `The zip archive holds several files that could be the image: ${names.slice(0, 5).join(', ')}. Unpack it and choose one of them.`,
    );
  }
  // Bit 0 of the general purpose flags: the member is encrypted (section 4.4.4).
  if ((only.generalPurposeBitFlag & 1) !== 0)
    throw new ImageError(
      'packing',
      'The image in the zip archive is encrypted. Unpack it and choose the image inside.',
    );
  return only;
}

/** The octets of the image in a zip archive, checked against its size and CRC-32. @throws ImageError */
export async function* unpackZip(path: string): AsyncGenerator<Buffer> {
  const zip = await open(path);
  try {
    const entry = imageOf(await membersOf(zip));
    const stream = await new Promise<NodeJS.ReadableStream>((resolve, reject) => {
      zip.openReadStream(entry, (error, found) => {
        if (error) reject(damaged());
        else resolve(found);
      });
    });
    let sum = 0;
    let size = 0;
    try {
      for await (const part of stream as AsyncIterable<Buffer>) {
        sum = crc32(part, sum);
        size += part.length;
        yield part;
      }
    } catch {
      throw damaged();
    }
    if (sum !== entry.crc32 || size !== entry.uncompressedSize) throw damaged();
  } finally {
    zip.close();
  }
}
