/** Packs built files once, so that the server can send them as small as they get without packing at each request. */
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { brotliCompress, constants, gzip } from 'node:zlib';

/** The last two steps of quality take twenty times as long and save a tenth, between two programs of one computer. */
const QUALITY = 9;

const packers = [
  [
    '.br',
    (octets) => promisify(brotliCompress)(octets, { params: { [constants.BROTLI_PARAM_QUALITY]: QUALITY } }),
  ],
  ['.gz', (octets) => promisify(gzip)(octets, { level: 9 })],
];

/** Fonts and pictures are packed already. */
const packable = /\.(?:js|css|svg|json|txt)$/;

/** Puts `name.br` and `name.gz` beside each file of a folder that gets smaller by it. */
export async function packFolder(folder) {
  const files = readdirSync(folder, { recursive: true }).filter((name) => packable.test(name));
  await Promise.all(
    files.map(async (name) => {
      const octets = readFileSync(join(folder, name));
      for (const [ending, pack] of packers) {
        const packed = await pack(octets);
        if (packed.length < octets.length) writeFileSync(join(folder, name + ending), packed);
      }
    }),
  );
}
