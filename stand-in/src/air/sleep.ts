/** Has something go off by itself once it was alone for its time. */
export class Sleep {
  private timer: NodeJS.Timeout | undefined;
  private ended = false;

  /**
   * @param after seconds until it goes off, as it stands now; null where it stays on
   * @param goOff puts it off; it asks again whether it still is to be
   */
  constructor(
    private readonly after: () => number | null,
    private readonly goOff: () => void,
  ) {}

  /** Whether it would go off, were its time up. */
  get near(): boolean {
    return !this.ended && this.after() !== null;
  }

  /** Begins its time anew. */
  watch(): void {
    clearTimeout(this.timer);
    const after = this.after();
    if (this.ended || after === null) return;
    this.timer = setTimeout(this.goOff, after * 1000);
  }

  /** It stays as it is from now on. */
  end(): void {
    this.ended = true;
    clearTimeout(this.timer);
  }
}
