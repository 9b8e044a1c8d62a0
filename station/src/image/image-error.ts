/** Why an image file cannot be read; the message tells what to do. */
export class ImageError extends Error {
  constructor(
    readonly code: 'missing' | 'damaged' | 'packing' | 'digest' | 'tool' | 'full' | 'large',
    message: string,
  ) {
    super(message);
  }
}
