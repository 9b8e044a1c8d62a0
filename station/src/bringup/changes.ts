import { mergeBootLines } from '@nest-mark/core';
import {
  JOB_PIECE,
  jobLeftQuestion,
  jobQuestion,
  keyOffCommand,
  lendToJob,
  placeVpnFile,
  readBootConfig,
  readJob,
  readUpgrades,
  startJob,
  writeBootConfig,
  type Change,
  type Step,
} from '@nest-mark/core/bring-up';
import { probeTcp } from '../net/tcp-probe';
import { Shell, type ShellPlace } from '../shell/shell';
import { ShellError } from '../shell/shell-error';
import type { BoardWork } from './board-work';
import type { Line } from './line';

/** What a change came to: a word on what was done, and whether it failed. */
export interface Changed {
  failed: boolean;
  text: string;
}

const well = (text: string): Changed => ({ failed: false, text });
const failed = (text: string): Changed => ({ failed: true, text });

/** Times that a line may break in one job before it counts as failed. */
const MOST_BREAKS = 20;
/** Times that a job which the board itself cut off is begun anew. */
const MOST_CUTS = 2;

const bootIdOf = async (line: Line): Promise<string> =>
  (await line.read('cat /proc/sys/kernel/random/boot_id')).text.trim();

/** The last line that says something. */
const lastLine = (text: string): string =>
  text
    .split('\n')
    .map((one) => one.trim())
    .filter((one) => one !== '')
    .at(-1)
    ?.slice(0, 200) ?? '';

/** A port of this computer's loopback that is lent to the board, anew by each login. */
class Loan {
  private by: Shell | null = null;
  private lent: number | null = null;

  constructor(
    private readonly line: Line,
    private readonly from: number | null,
  ) {}

  /** The board's port; null where nothing is lent. A job that runs already, whoever began it, is told of a new one. */
  async port(): Promise<number | null> {
    if (this.from === null) return null;
    const shell = await this.line.open();
    if (shell === this.by) return this.lent;
    this.lent = await this.line.lend(this.from);
    this.by = shell;
    await this.line.read(lendToJob(this.lent), true);
    return this.lent;
  }
}

/** Goes along with a job on the board, whoever started it and however often the line breaks. */
async function followJob(
  work: BoardWork,
  line: Line,
  step: Step,
  { script, seconds, fetches }: Omit<Extract<Change, { kind: 'job' }>, 'kind'>,
): Promise<Changed> {
  const loan = new Loan(line, fetches ? work.packagePort : null);
  const until = Date.now() + seconds * 1000;
  let from = 0;
  let tail = '';
  let breaks = 0;
  let cuts = 0;
  let begun = false;
  try {
    for (;;) {
      try {
        const lent = await loan.port();
        const job = readJob((await line.read(jobQuestion(from), true)).text);
        // What another step left there, or a run before this one, is not ours.
        const ours = begun && job.name === step.id;
        if (job.state === 'running' && job.name !== step.id) {
          work.job({ phase: 'begin', share: 0, text: 'waits for other work on the board' });
        } else if (!ours && job.state !== 'running') {
          const started = await line.read(startJob(step.id, script, lent), true);
          if (started.code !== 0) return failed(`The work could not be started: ${lastLine(started.text)}`);
          begun = true;
          from = 0;
          continue;
        } else {
          begun = true;
          if (job.log !== '') {
            const text = line.clean(job.log);
            tail = (tail + text).slice(-8192);
            work.told(text);
            from = Math.min(job.size, from + JOB_PIECE);
          }
          const held = /held by process (\d+ \([^)]*\))|Could not get lock/.exec(lastLine(tail));
          if (job.state === 'running')
            work.job(
              held
                ? {
                    phase: 'begin',
                    share: 0,
                    text: `waits for another update on the board${held[1] ? `, process ${held[1]}` : ''}`,
                  }
                : job.progress,
            );
          // Its log is read to the end before anything is said of it.
          if (job.state !== 'running' && from >= job.size) {
            if (job.state === 'cut') {
              if (++cuts > MOST_CUTS)
                return failed(
                  'The work was cut off on the board again and again: it restarts, or something ends it.',
                );
              // It begins by mending what the cut left.
              work.told('cut off on the board; begun anew\n');
              begun = false;
              continue;
            }
            if (job.code !== 0) return failed(reasonOf(tail, job.code));
            const left = await line.read(jobLeftQuestion, true);
            const upgraded = readUpgrades(left.text);
            const octets = Number(/^octets=(\d+)$/m.exec(left.text)?.[1] ?? 0);
            return well(
              upgraded.length === 0
                ? 'Done.'
                : `${String(upgraded.length)} ${upgraded.length === 1 ? 'package' : 'packages'} upgraded (${upgraded
                    .slice(0, 3)
                    .map(({ name, to }) => `${name} ${to}`)
                    .join(
                      ', ',
                    )}${upgraded.length > 3 ? ' and more' : ''}), ${(octets / 1e6).toFixed(1)} MB fetched.`,
            );
          }
        }
      } catch (error) {
        if (!(error instanceof ShellError) || (error.fault !== 'lost' && error.fault !== 'away')) throw error;
        // The work goes on without us.
        if (error.fault === 'away' || ++breaks > MOST_BREAKS) throw error;
      }
      if (Date.now() > until) return failed('It took longer than it may, and goes on on the board.');
      await line.wait(work.patience.look);
    }
  } finally {
    work.job(null);
  }
}

/** Why the package manager gave up, in words that say what to do. */
function reasonOf(log: string, code: number | null): string {
  const errors = log
    .split('\n')
    .filter((one) => /^E: /.test(one))
    .map((one) => one.slice(3));
  const all = errors.join('\n');
  if (/enough free space/.test(log)) return 'There is not enough free space on the card for the packages.';
  if (/Could not get lock|another process/.test(all)) return 'Another update on the board did not end.';
  if (
    /unexpected size|Hash Sum mismatch|Failed to fetch|Could not (?:resolve|connect)|Unable to connect/.test(
      log,
    )
  )
    return `A package could not be fetched: ${lastLine(errors.find((one) => /fetch|size|resolve|connect/i.test(one)) ?? all) || 'see its output'}`;
  if (/Unknown device type|Operation not supported|Protocol not supported/.test(log))
    return 'The board’s kernel has no WireGuard. Update it, reboot, and try again.';
  const script = /(\S+) package (post|pre)-(installation|removal) script/.exec(log);
  if (script) return `The package ${script[1] ?? ''} broke while it was being installed.`;
  return `It ended with ${String(code)}: ${lastLine(all === '' ? log : all)}`;
}

/** Merges the planned boot lines into what the board has at this moment. */
async function mergeOnBoard({ expected }: BoardWork, line: Line, step: Step): Promise<Changed> {
  const config = readBootConfig((await line.ask(step.questions(expected))).get('config'));
  if (!config) return failed('The board’s boot configuration could not be read.');
  const after = mergeBootLines(config.text, expected.bootLines);
  const done = await line.change(writeBootConfig(config, after), true, 60);
  return done.code === 0
    ? well(`Merged into ${config.path}; in force after the reboot.`)
    : failed(`It ended with ${String(done.code)}: ${lastLine(line.clean(done.text))}`);
}

/** Puts the board's file of the tunnel there, then has its programs installed and its service started. */
async function setVpnUp(
  work: BoardWork,
  line: Line,
  step: Step,
  { script, seconds }: Extract<Change, { kind: 'vpn' }>,
): Promise<Changed> {
  if (work.vpnFile === null) return failed('The bench has no file of the VPN for this board.');
  const placed = await line.put(placeVpnFile(work.vpnFile));
  if (placed.code !== 0)
    return failed(`Its file could not be put onto the board: ${lastLine(line.clean(placed.text))}`);
  return followJob(work, line, step, { script, seconds, fetches: true });
}

/** Starts the board anew, and waits until it is there again, proved and settled. */
async function rebootBoard(work: BoardWork, line: Line, step: Step): Promise<Changed> {
  const now = await bootIdOf(line);
  if (now === '')
    return failed('The board did not tell which boot this is, so nobody could tell whether it restarted.');
  const known = await work.recall(step.id);
  const began = Date.now();
  if (known === null || known.bootId === now) {
    // First on record, then ordered: who dies in between asks the board which boot it is.
    await work.remember(step.id, { bootId: now });
    await line.read('systemctl reboot || reboot', true).catch((error: unknown) => {
      if (!(error instanceof ShellError) || error.fault !== 'lost') throw error;
    });
  }
  const before = known?.bootId ?? now;
  const until = Date.now() + work.patience.reboot * 1000;
  work.told('waiting until it is there again\n');
  for (;;) {
    if (Date.now() > until)
      return failed(
        'It did not come back after the reboot. Look at its lights and its supply, then search for it again.',
      );
    await line.wait(work.patience.look);
    try {
      await line.open(Math.max(1, (until - Date.now()) / 1000), true);
      // Right after the order the old system still answers.
      const id = await bootIdOf(line);
      if (id === '' || id === before) continue;
      const system = (await line.read('systemctl is-system-running')).text.trim();
      if (system === 'starting' || system === 'initializing') continue;
      return well(
        `Started anew in ${String(Math.round((Date.now() - began) / 1000))} s, and proved by its host key.`,
      );
    } catch (error) {
      if (!(error instanceof ShellError)) throw error;
      if (error.fault !== 'lost' && error.fault !== 'away' && error.fault !== 'no-login') throw error;
      line.close();
    }
  }
}

/** Takes the bench's key off, and proves that it lets nobody in any more while the line that did it is still open. */
async function takeKeyOff(work: BoardWork, line: Line, step: Step): Promise<Changed> {
  const { benchKey } = work.expected;
  if (benchKey === null) return well('There is none.');
  // Whoever dies right after it is locked out, and has to know why.
  await work.remember(step.id, { bootId: await bootIdOf(line) });
  const done = await line.change(keyOffCommand(benchKey), false, 30);
  if (done.code !== 0) return failed(`The key could not be taken off: ${lastLine(line.clean(done.text))}`);
  const place = await work.place();
  if (!place || work.benchKey === null) return well('It is off the board.');
  try {
    const again = await Shell.open(
      place,
      { user: work.login.user, key: work.benchKey, agent: null, password: null, byPassword: false },
      work.signal,
    );
    again.close();
    return failed(
      'The key was taken out of the list, and the board still lets it in: there is another list somewhere.',
    );
  } catch (error) {
    if (error instanceof ShellError && error.fault === 'no-login')
      return well('It is off the board, which let it in no more.');
    throw error;
  }
}

/**
 * Whether a board that was told to shut down is gone, and its last writes had their time.
 * @param place where it was; nobody can see of one that was nowhere whether it is off
 * @param seconds for how long it is looked
 */
export async function seenOff(
  work: BoardWork,
  line: Line,
  place: ShellPlace | null,
  seconds: number,
): Promise<boolean> {
  const until = Date.now() + seconds * 1000;
  // Gone means three looks in a row: a login service goes before the system does.
  for (let gone = 0; gone < 3;) {
    if (place === null || Date.now() > until) return false;
    await line.wait(work.patience.look);
    gone = (await probeTcp(place.address, place.port, 1000)).answer === 'open' ? 0 : gone + 1;
  }
  line.close();
  await line.wait(work.patience.quiet);
  return true;
}

export const IS_OFF = 'It is off: its power may be cut when its light is quiet.';

/** Shuts the board down, and says that it is safe only when it was seen off. */
async function shutDownBoard(work: BoardWork, line: Line, step: Step): Promise<Changed> {
  const now = await bootIdOf(line);
  const place = await work.place();
  const known = await work.recall(step.id);
  if (known !== null && known.bootId !== now)
    return failed('It was shut down, and somebody started it again since.');
  // First on record, then ordered: of a board that is off nobody can ask whether it was told to be.
  await work.remember(step.id, { bootId: now });
  await line.read('systemctl poweroff || poweroff', true).catch((error: unknown) => {
    if (!(error instanceof ShellError) || error.fault !== 'lost') throw error;
  });
  return (await seenOff(work, line, place, work.patience.away))
    ? well(IS_OFF)
    : failed('It was told to shut down, and nobody saw it go off.');
}

/** Does what a step does. @throws ShellError when the line breaks for good */
export async function makeChange(work: BoardWork, line: Line, step: Step, change: Change): Promise<Changed> {
  switch (change.kind) {
    case 'commands': {
      const done = await line.change(change.command, change.root, change.seconds);
      if (done.late || done.code === 124) return failed(`It did not end within ${String(change.seconds)} s.`);
      if (done.cut) return failed('It printed without end and was stopped.');
      return done.code === 0
        ? well('Done.')
        : failed(`It ended with ${String(done.code)}: ${lastLine(line.clean(done.text))}`);
    }
    case 'job':
      return followJob(work, line, step, change);
    case 'boot-lines':
      return mergeOnBoard(work, line, step);
    case 'vpn':
      return setVpnUp(work, line, step, change);
    case 'reboot':
      return rebootBoard(work, line, step);
    case 'key-off':
      return takeKeyOff(work, line, step);
    case 'shut-down':
      return shutDownBoard(work, line, step);
  }
}
