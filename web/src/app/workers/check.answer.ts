import {
  checkCardWhole,
  DiskError,
  mendedFiles,
  packedAs,
  readBootFiles,
  type BootFiles,
  type ByteSource,
  type OwnMethod,
} from '@nest-mark/core';
import type { CheckAnswer, CheckRequest } from './check.messages';

/** A file of the browser as a source; only what is asked for is read, and counted. */
class FileSource implements ByteSource {
  octetsRead = 0;

  constructor(private readonly file: File) {}

  get size(): number {
    return this.file.size;
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    if (offset < 0 || length < 0 || offset + length > this.file.size)
      throw new RangeError('the file ends before that');
    this.octetsRead += length;
    return new Uint8Array(await this.file.slice(offset, offset + length).arrayBuffer());
  }
}

/** Path below the folder that was chosen; a file that was chosen by itself lies in the root. */
const pathOf = ({ name, webkitRelativePath }: File): string =>
  webkitRelativePath ? webkitRelativePath.split('/').slice(1).join('/') : name;

/** Files that are smaller are looked at one by one; no disk is. */
const SMALLEST_DISK = 1 << 20;

async function bootFilesOf(
  files: readonly File[],
  own: readonly OwnMethod[],
): Promise<{ boot: BootFiles; octetsRead: number }> {
  const [only] = files;
  if (only && files.length === 1 && only.size >= SMALLEST_DISK) {
    const source = new FileSource(only);
    const packing = packedAs(await source.read(0, 8));
    if (packing)
      throw new DiskError(
        'unsupported',
        `"${only.name}" is packed (${packing}). Unpack it first, or put it on the shelf of images.`,
      );
    const paths = own.flatMap(({ description }) => description.files.map(({ path }) => path));
    return { boot: await readBootFiles(source, paths), octetsRead: source.octetsRead };
  }
  const small = files.filter(({ size }) => size < SMALLEST_DISK);
  const read = await Promise.all(
    small.map(async (file) => ({ name: pathOf(file), content: new Uint8Array(await file.arrayBuffer()) })),
  );
  return {
    boot: {
      names: [...new Set(files.map((file) => pathOf(file).split('/')[0] ?? ''))],
      files: read,
      label: '',
      bootedAs: null,
      bootedWith: null,
      mountedAt: null,
      elsewhere: [],
    },
    octetsRead: read.reduce((sum, { content }) => sum + content.length, 0),
  };
}

/** Works a request out. @param now clock in milliseconds, to tell how long it took */
export async function answerCheck(request: CheckRequest, now: () => number): Promise<CheckAnswer> {
  const start = now();
  const { turn } = request;
  try {
    const { boot, octetsRead } =
      'files' in request
        ? await bootFilesOf(request.files, request.own)
        : { boot: mendedFiles(request.boot, request.fix), octetsRead: 0 };
    return {
      turn,
      ok: true,
      check: checkCardWhole(boot, request.own),
      boot,
      octetsRead,
      milliseconds: now() - start,
    };
  } catch (error) {
    if (!(error instanceof DiskError || error instanceof RangeError)) throw error;
    return { turn, ok: false, message: error.message };
  }
}
