/** Why a disk, a partition table or a file system cannot be used; the message tells what to do. */
export class DiskError extends Error {
  override readonly name = 'DiskError';

  constructor(
    readonly code: 'not-a-disk' | 'cut-off' | 'damaged' | 'full' | 'missing' | 'unsupported',
    message: string,
  ) {
    super(message);
  }
}
