import { KeptRoot, OUTPUT, runInside, startInside, type Inside, type InsideChild } from './sandbox';

/** A file of a scratch root as its system sees it. */
export interface InsideFile {
  path: string;
  /** Permission bits. */
  mode: number;
  uid: number;
  content: Buffer;
}

/** Octets of a file that are read, and files of a folder that are listed. */
const LARGEST = 64 << 10;
const MOST = 64;

// Links are followed by the root's own system, where they cannot lead out of it; what is no plain file is left out.
const reader = `
for path in "$@"; do
    if [ -d "$path" ]; then set -- "$@" $(find "$path" -maxdepth 1 -type f -name '*[!a-zA-Z0-9._-]*' -prune -o -type f -print | sort | head -n ${String(MOST)}); continue; fi
done
for path in "$@"; do
    [ -f "$path" ] && [ -r "$path" ] || continue
    printf '%s %s ' "$(stat -L -c '%a %u' "$path")" "$(printf %s "$path" | base64 -w0)"
    head -c ${String(LARGEST)} "$path" | base64 -w0
    echo
done
`;

/** Milliseconds for an answer. */
const PATIENCE = 20_000;
/** Asked again and again: paths, an empty line; answered by the files and a line that none of them can be. */
const END = '.';
const askedAgain = `
while :; do
    set --
    while IFS= read -r path || exit 0; [ -n "$path" ]; do set -- "$@" "$path"; done
    ${reader}
    echo ${END}
done
`;

/** Reads in a kept root by one program that stays there: starting one takes many times as long as reading. */
class StayingReader {
  private child: InsideChild | null = null;
  private answer = '';
  private answered: () => void = () => undefined;
  private turn: Promise<string> = Promise.resolve('');

  constructor(private readonly root: KeptRoot) {}

  /** @returns lines of files, in part where the root was closed or the program was too slow */
  read(paths: readonly string[]): Promise<string> {
    this.turn = this.turn.then(() => this.ask(paths));
    return this.turn;
  }

  private async ask(paths: readonly string[]): Promise<string> {
    const child = (this.child ??= this.begin());
    this.answer = '';
    const whole = new Promise<void>((resolve) => (this.answered = resolve));
    child.input.write(`${paths.map((path) => `${path}\n`).join('')}\n`);
    const timer = setTimeout(() => child.kill(), PATIENCE);
    await Promise.race([whole, child.ended]);
    clearTimeout(timer);
    return this.answer;
  }

  private begin(): InsideChild {
    const child = startInside(this.root, ['/bin/sh', '-c', askedAgain], {
      onOutput: (data) => {
        this.answer += data.toString('latin1');
        if (this.answer === `${END}\n` || this.answer.endsWith(`\n${END}\n`)) this.answered();
        else if (this.answer.length > OUTPUT) child.kill();
      },
    });
    this.root.stays(child);
    void child.ended.then(() => {
      if (this.child === child) this.child = null;
    });
    return child;
  }
}

const readers = new WeakMap<KeptRoot, StayingReader>();

async function linesOf(where: Inside, paths: readonly string[]): Promise<string> {
  // A line is a path there.
  const plain = paths.filter((path) => path !== '' && !path.includes('\n'));
  if (where instanceof KeptRoot) {
    const reading = readers.get(where) ?? new StayingReader(where);
    readers.set(where, reading);
    return reading.read(plain);
  }
  const { output } = await runInside(where, ['/bin/sh', '-c', reader, 'sh', ...plain], PATIENCE);
  return output.toString('latin1');
}

/**
 * Reads files of a root from inside it.
 * @param paths files, or folders whose plainly named files are read
 * @returns those that are plain files, in the order asked for; beginnings of long ones
 */
export async function readInside(where: Inside, paths: readonly string[]): Promise<InsideFile[]> {
  const lines = (await linesOf(where, paths)).split('\n');
  return lines.flatMap((line): InsideFile[] => {
    const [mode = '', uid = '', path = '', content = ''] = line.split(' ');
    if (!/^[0-7]+$/.test(mode) || !/^\d+$/.test(uid)) return [];
    return [
      {
        path: Buffer.from(path, 'base64').toString('utf8'),
        mode: parseInt(mode, 8),
        uid: Number(uid),
        content: Buffer.from(content, 'base64'),
      },
    ];
  });
}
