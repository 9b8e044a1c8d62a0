/** A request that the practice bench cannot fulfil, with the reason. */
export class PracticeError extends Error {
  override readonly name = 'PracticeError';
}
