import { InFlight } from '../src/platform/http/in-flight';

describe('requests that are being answered', () => {
  it('are waited for, those that fail too, and nothing else', async () => {
    const inFlight = new InFlight();
    await inFlight.settled();
    let answer!: (value: string) => void;
    let fail!: (why: Error) => void;
    const first = inFlight.follow(new Promise<string>((resolve) => (answer = resolve)));
    const second = inFlight.follow(new Promise<string>((_resolve, reject) => (fail = reject)));
    let over = false;
    const settled = inFlight.settled().then(() => (over = true));
    answer('done');
    expect(await first).toBe('done');
    expect(over).toBe(false);
    fail(new Error('refused'));
    await expect(second).rejects.toThrow('refused');
    await settled;
    expect(over).toBe(true);
    await inFlight.settled();
  });
});
