import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { existsSync } from 'node:fs';
import { createInterface } from 'node:readline';
import {
  ADD_NETWORK,
  trialCommands,
  trialSign,
  type TriedNetwork,
  type TrialSign,
} from '@nest-mark/core/in-air';
import { HOLDER } from './holder';
import { offered, seesClients } from './lease';
import { programEnv, runProgram } from './programs';
import { RadioError, type TrialEnd } from './radio';

/** Seconds within which an adapter is held, or given back. */
const HOLD_SECONDS = 60;
/** Seconds after which silence is an answer. */
const TRIAL_SECONDS = 45;
/** Times that a network is not found until that is believed: a first look may miss it. */
const NOT_FOUND = 2;

/** The adapter while it is held. */
interface Held {
  folder: string;
  giveBack: () => Promise<void>;
}

const firstLine = async (child: ChildProcess, seconds: number): Promise<string> => {
  if (!child.stdout) return '';
  const lines = createInterface({ input: child.stdout });
  const timer = setTimeout(() => lines.close(), seconds * 1000);
  try {
    for await (const line of lines) return line.trim();
    return '';
  } finally {
    clearTimeout(timer);
  }
};

async function hold(adapter: string): Promise<Held> {
  const folder = `/run/nest-mark-air-${adapter}`;
  const holder = spawn('sh', ['-c', HOLDER, 'nest-mark-air', adapter, folder], {
    env: programEnv(),
    stdio: ['pipe', 'pipe', 'ignore'],
    // Its own session: what ends this program does not end it.
    detached: true,
  });
  const ended = once(holder, 'close');
  const giveBack = async (): Promise<void> => {
    holder.stdin.end();
    const late = new Promise<'late'>((done) => setTimeout(done, HOLD_SECONDS * 1000, 'late').unref());
    if ((await Promise.race([ended, late])) === 'late')
      throw new RadioError(
        'failed',
        `The adapter ${adapter} was not given back within its time. Look at it.`,
      );
  };
  const said = await firstLine(holder, HOLD_SECONDS);
  holder.stdout.resume();
  if (said === 'ready') return { folder, giveBack };
  await giveBack();
  if (said === 'taken')
    throw new RadioError('busy', `Another trial has the adapter ${adapter}. Wait until it is over.`);
  throw new RadioError('failed', `The adapter ${adapter} could not be taken for a trial; it is as it was.`);
}

/** Speaks with the supplicant of a held adapter. */
async function joins(
  adapter: string,
  folder: string,
  network: TriedNetwork,
  signal: AbortSignal,
): Promise<TrialSign> {
  const child = spawn('wpa_cli', ['-p', `${folder}/ctl`, '-i', adapter], {
    env: programEnv(),
    stdio: ['pipe', 'pipe', 'ignore'],
  });
  child.stdin.on('error', () => undefined);
  const limit = AbortSignal.any([signal, AbortSignal.timeout(TRIAL_SECONDS * 1000)]);
  const end = (): void => void child.kill();
  limit.addEventListener('abort', end);
  // Its supplicant says nothing of that (seen with 2.10).
  const pulled = new AbortController();
  pulled.signal.addEventListener('abort', end);
  const looks = setInterval(() => {
    if (!existsSync(`/sys/class/net/${adapter}`)) pulled.abort();
  }, 500);
  let notFound = 0;
  let begun = false;
  let id: number | null = null;
  try {
    for await (const line of createInterface({ input: child.stdout })) {
      if (!begun && /Interactive mode|^> ?/.test(line)) {
        begun = true;
        child.stdin.write(`${ADD_NETWORK}\n`);
        continue;
      }
      const [, added] = /^[> ]*(\d+)\s*$/.exec(line) ?? [];
      if (id === null && added !== undefined) {
        id = Number(added);
        child.stdin.write(`${trialCommands(network, id).join('\n')}\n`);
      }
      if (/^[> ]*FAIL\s*$/.test(line))
        throw new RadioError('failed', 'The supplicant refuses the network as it is: look at its key.');
      // What a supplicant says before it is about the networks that it had.
      if (id === null) continue;
      const sign = trialSign(line);
      if (sign === 'not-heard' && ++notFound < NOT_FOUND) continue;
      if (sign === 'joined' && !line.includes(`[id=${String(id)} `)) continue;
      if (sign !== null) return sign;
    }
  } finally {
    clearInterval(looks);
    limit.removeEventListener('abort', end);
    child.kill();
  }
  if (pulled.signal.aborted) throw new RadioError('gone', `The adapter ${adapter} was pulled in the middle.`);
  if (signal.aborted) throw new RadioError('stopped', 'It was stopped.');
  return 'no-answer';
}

/** The signal of who was joined, in dBm. */
async function signalOf(adapter: string): Promise<number | null> {
  const { out } = await runProgram('iw', ['dev', adapter, 'link']);
  const [, dbm] = /^\tsignal: (-?\d+) dBm$/m.exec(out) ?? [];
  return dbm === undefined ? null : Number(dbm);
}

const WORDS: Record<Exclude<TrialSign, 'joined' | null>, string> = {
  'wrong-key':
    'The access point refuses the key. Where the signal is weak, try once more: that looks the same.',
  full: 'The access point says that it takes no more clients.',
  'not-heard': 'No access point of this name answers here.',
  'no-answer': 'Nothing decisive was heard within its time.',
};

/**
 * Tries a key by really joining: the network is there only in a supplicant of its own, and no address is taken.
 * @throws RadioError; the adapter is as it was before then too
 */
export async function tryKey(adapter: string, network: TriedNetwork, signal: AbortSignal): Promise<TrialEnd> {
  const { folder, giveBack } = await hold(adapter);
  try {
    const sign = await joins(adapter, folder, network, signal);
    if (sign !== 'joined') {
      const verdict = sign ?? 'no-answer';
      return { verdict, signal: null, message: WORDS[verdict] };
    }
    const heard = await signalOf(adapter);
    const lease = await offered(adapter, folder, signal);
    if (lease === 'none')
      return {
        verdict: 'no-address',
        signal: heard,
        message: 'The key is right, but nobody gave an address: the pool may be used up.',
      };
    if (lease === null)
      return {
        verdict: 'right',
        signal: heard,
        message: 'Joined. An address was not asked for: this computer has no program for that.',
      };
    const given = `Joined, and ${lease.address} would be given`;
    const clients = await seesClients(adapter, lease, signal);
    if (clients?.sees === false)
      return {
        verdict: 'apart',
        signal: heard,
        message: `${given}; but this computer’s own ${clients.by}, which is on that network, does not answer there. What keeps its clients apart keeps boards from being found.`,
      };
    return {
      verdict: 'right',
      signal: heard,
      message: `${given}${clients ? '; clients see each other' : ''}.`,
    };
  } finally {
    await giveBack();
  }
}
