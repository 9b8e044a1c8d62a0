/** Requests that are being answered. A cut connection does not end the work behind it. */
export class InFlight {
  private readonly work = new Set<Promise<unknown>>();

  async follow<T>(answering: Promise<T>): Promise<T> {
    this.work.add(answering);
    try {
      return await answering;
    } finally {
      this.work.delete(answering);
    }
  }

  /** Waits until nobody is being answered, so that the database is not taken away in the middle. */
  async settled(): Promise<void> {
    await Promise.allSettled(this.work);
  }
}
