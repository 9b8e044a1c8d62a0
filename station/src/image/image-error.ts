/** Why an image file cannot be read; the message tells what to do. */
export class ImageError extends Error {
  override readonly name = 'ImageError';

  constructor(
    readonly code:
      | 'missing'
      | 'damaged'
      | 'packing'
      | 'digest'
      | 'tool'
      | 'full'
      | 'large'
      | 'stopped'
      | 'address'
      | 'broken',
    message: string,
  ) {
    super(message);
  }
}
