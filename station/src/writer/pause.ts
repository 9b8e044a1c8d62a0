/** Holds a gang between two blocks and lets it go on. */
export class PauseSwitch {
  private held: { promise: Promise<void>; open: () => void } | null = null;

  get paused(): boolean {
    return this.held !== null;
  }

  /** Called when work is held. */
  onHeld: () => void = () => undefined;
  /** Called when held work goes on. */
  onGoOn: () => void = () => undefined;

  pause(): void {
    if (this.held) return;
    this.onHeld();
    let open = (): void => undefined;
    const promise = new Promise<void>((resolve) => (open = resolve));
    this.held = { promise, open };
  }

  resume(): void {
    if (!this.held) return;
    this.held.open();
    this.held = null;
    this.onGoOn();
  }

  /** Waits while the gang is paused. */
  async passed(): Promise<void> {
    while (this.held) await this.held.promise;
  }
}
