import {
  lookQuestion,
  readLook,
  readTakenOff,
  TAKE_OFF_REFUSED,
  takeOffNetwork,
} from '@nest-mark/core/moving';
import { Line, type LineWork } from '../bringup/line';
import { ShellError } from '../shell/shell-error';
import type { BoardMoved, MoveWork } from './move-board';

/** A board that has moved, and is to forget the network that it came from. */
export interface TakeOffWork extends LineWork, Pick<MoveWork, 'network' | 'isNew' | 'note'> {
  /** Octets of the old network's name, in hexadecimal digits. */
  oldHex: string;
}

const hand = (message: string): BoardMoved => ({ state: 'hand', message });

const WHY: Record<number, string> = {
  [TAKE_OFF_REFUSED.notOnNew]:
    'It does not say itself that it is on the new network, so nothing was taken off.',
  [TAKE_OFF_REFUSED.ofAnother]:
    'Another program of it makes the old network anew at each start: take it out of that program’s file by hand.',
  [TAKE_OFF_REFUSED.refused]: 'It did not let the old network go. Nothing else was changed.',
  [TAKE_OFF_REFUSED.notSaved]:
    'Its supplicant may not save what it was told (its file lacks update_config=1): the old network is back after its next start.',
};

/**
 * Takes the old network off one board, which has to be proved on the new one. It can be asked for again at any time.
 * @throws what `note` throws
 */
export async function takeOff(work: TakeOffWork): Promise<BoardMoved> {
  const line = new Line(work);
  const { network, oldHex } = work;
  try {
    await work.note('taking-off', '');
    const place = await work.place();
    if (place === null || !work.isNew(place.address))
      return hand('It was not proved on the new network: look for it there first.');
    const { manager } = readLook((await line.read(lookQuestion, true)).text);
    if (manager === null) return hand('Its Wi-Fi is ruled by a program that is not known here.');
    return ended(await line.read(takeOffNetwork(manager, network, oldHex), true));
  } catch (error) {
    if (!(error instanceof ShellError)) throw error;
    if (error.fault === 'stopped') return { state: 'stopped', message: 'It was stopped.' };
    return hand(error.message);
  } finally {
    line.close();
  }
}

function ended({ code, text }: { code: number | null; text: string }): BoardMoved {
  const count = code === 0 ? readTakenOff(text) : null;
  if (count === null) return hand(WHY[code ?? -1] ?? 'It did not answer as it should. Ask again.');
  return {
    state: 'alone',
    message:
      count === 0 ? 'The old network was off it already.' : 'The old network is off it; the new one stays.',
  };
}
