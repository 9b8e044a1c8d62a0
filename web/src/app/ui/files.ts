/** Hands a text over as a file. */
export const download = (name: string, text: string, type: string): void =>
  save(name, new Blob([text], { type }));

/** Hands octets over as a file, none of them changed. */
export const downloadOctets = (name: string, content: Uint8Array): void =>
  save(name, new Blob([content.slice()], { type: 'application/octet-stream' }));

/** Hands over a file that the server made. */
export const downloadBlob = (name: string, content: Blob): void => save(name, content);

function save(name: string, content: Blob): void {
  const url = URL.createObjectURL(content);
  const link = document.createElement('a');
  link.href = url;
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}

/** A text file cannot be read; the message says what to do. */
export class FileError extends Error {
  override readonly name = 'FileError';
}

const limit = 8_000_000;

/** Text of a file in UTF-8, or in UTF-16 with its byte-order mark. @throws FileError */
export async function textOfFile(file: File): Promise<string> {
  if (file.size > limit) throw new FileError(`"${file.name}" is larger than 8 MB; is it the right file?`);
  const bytes = new Uint8Array(await file.arrayBuffer());
  const [first, second] = bytes;
  const encoding =
    first === 0xff && second === 0xfe ? 'utf-16le' : first === 0xfe && second === 0xff ? 'utf-16be' : 'utf-8';
  try {
    return new TextDecoder(encoding, { fatal: true }).decode(bytes);
  } catch {
    throw new FileError(`"${file.name}" is no text in UTF-8. Save it as UTF-8 and choose it again.`);
  }
}
