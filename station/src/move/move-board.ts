import { randomBytes } from 'node:crypto';
import {
  addNetwork,
  armReturn,
  cannotPutOn,
  isOnNetwork,
  keepNetwork,
  lookQuestion,
  readLook,
  returnNow,
  switchOver,
  triedQuestion,
  tryReturn,
  type Looked,
  type NetManager,
  type NewNetwork,
} from '@nest-mark/core/moving';
import type { BoardMoveState } from '@nest-mark/core/api';
import { Line, type LineWork } from '../bringup/line';
import { ShellError } from '../shell/shell-error';

/** How a board's move ended, or stands. */
export interface BoardMoved {
  state: Extract<BoardMoveState, 'moved' | 'alone' | 'waits' | 'came-back' | 'missing' | 'hand' | 'stopped'>;
  message: string;
}

/** One board that moves, with everything that it needs of the world. */
export interface MoveWork extends LineWork {
  network: NewNetwork;
  priority: number;
  /** Seconds after which the board goes back by itself. */
  returnSeconds: number;
  /** Seconds within which its timer has to have started the return as a trial. */
  trialSeconds: number;
  /** Whether it switches now; otherwise it keeps both, and comes over when the new network is on the air. */
  now: boolean;
  /** Whether an address is one of the new network. */
  isNew(address: string): boolean;
  /** Looks for boards on the new network; it may be called often. */
  seekNew(): Promise<void>;
  /** Writes down where the board is; returns when that is on record. */
  note(state: BoardMoveState, message: string): Promise<void>;
}

/** Seconds beyond the return within which a board is to be back: its timer, its association and its address. */
const BACK_SECONDS = 90;
/** Seconds within which a board's timer has to have started the return as a trial. */
export const TRIAL_SECONDS = 45;

const COULD_NOT_KEEP: Record<number, string> = {
  7: 'its supplicant may not save what it was told; its file lacks update_config=1',
  8: 'the network could not be made one that starts by itself',
  9: 'the network could not be made one that starts by itself',
  10: 'a file could not be written on it; look whether its disk is full',
  11: 'netplan does not take the file of the new network',
};

class Moving {
  private readonly line: Line;

  constructor(private readonly work: MoveWork) {
    this.line = new Line(work);
  }

  async go(): Promise<BoardMoved> {
    try {
      return await this.through();
    } catch (error) {
      if (!(error instanceof ShellError)) throw error;
      if (error.fault === 'stopped') return { state: 'stopped', message: 'It was stopped.' };
      return { state: 'hand', message: error.message };
    } finally {
      this.line.close();
    }
  }

  private async look(): Promise<Looked> {
    return readLook((await this.line.read(lookQuestion, true)).text);
  }

  private async through(): Promise<BoardMoved> {
    const { work } = this;
    await work.note('looking', '');
    const looked = await this.look();
    if (looked.move?.id === work.network.moveId) {
      const gone = await this.afterCut(looked);
      if (gone) return gone;
    } else if (looked.returns && (looked.move?.state === 'armed' || looked.move?.state === 'gone'))
      return { state: 'hand', message: 'Another move of this board is under way. Wait until it is over.' };
    if (looked.manager === null)
      return {
        state: 'hand',
        message:
          'Its Wi-Fi is ruled by a program that is not known here. Take another way, or put the network on by hand.',
      };
    if (!looked.timers && work.now)
      return {
        state: 'hand',
        message: 'It has no timers that would bring it back, so it is not switched over. Take another way.',
      };
    return this.fromHere(looked.manager);
  }

  /**
   * A board that was in this very move before: the program died, the power went, or somebody begins anew. Null where it
   * is to begin from the start. That it went back says nothing of the network where nobody was there to prove it.
   */
  private async afterCut({ move, manager }: Looked): Promise<BoardMoved | null> {
    const { work } = this;
    if (move?.state === 'waits' && !work.now) return this.waiting();
    if ((move?.state !== 'kept' && move?.state !== 'gone') || manager === null) return null;
    const there = await this.isThere(manager);
    if (move.state === 'kept')
      return there ? { state: 'moved', message: 'It was proved there before, and stays.' } : null;
    if (there) return this.keep(manager);
    await this.goBack();
    return null;
  }

  private async fromHere(manager: NetManager): Promise<BoardMoved> {
    const { work } = this;
    const { network } = work;
    const cannot = cannotPutOn(manager, network);
    if (cannot !== null) return { state: 'hand', message: cannot };
    await work.note('adding', '');
    const added = await this.line.put(addNetwork(manager, network));
    if (added.code !== 0)
      return {
        state: 'hand',
        message: `The new network could not be put on it, and nothing else was changed: ${lastLine(this.line.clean(added.text))}`,
      };
    if (!work.now) {
      const kept = await this.line.read(keepNetwork(manager, network, work.priority, 'waits'), true);
      return kept.code === 0 ? this.waiting() : this.notKept(kept.code, kept.text);
    }
    await work.note('trying', '');
    const untried = await this.triesReturn();
    if (untried !== '') {
      await this.goBack();
      return { state: 'hand', message: untried };
    }
    const armed = await this.line.read(armReturn(network, work.returnSeconds), true);
    if (armed.code !== 0) {
      await this.goBack();
      return { state: 'hand', message: 'Its return could not be armed, so it was not switched over.' };
    }
    const until = Date.now() + (work.returnSeconds + BACK_SECONDS) * 1000;
    await work.note('switching', '');
    await this.line.read(switchOver, true).catch((error: unknown) => {
      if (!(error instanceof ShellError) || error.fault !== 'lost') throw error;
    });
    // Its session ends with the network; a line that is still open would tell of the old place.
    this.line.close();
    return this.follow(manager, until);
  }

  private waiting(): BoardMoved {
    return {
      state: 'waits',
      message: 'It has both networks, and comes over when the new one is on the air.',
    };
  }

  private cameBack(text: string): BoardMoved {
    return {
      state: 'came-back',
      message: `${text} It is on the old network again, and nothing of the new one is left on it.`,
    };
  }

  /** Undoes what was done; the line may break with it. */
  private async goBack(): Promise<void> {
    try {
      await this.line.change(returnNow, true, 90);
    } catch (error) {
      if (!(error instanceof ShellError) || error.fault !== 'lost') throw error;
    }
  }

  /** Whether its own timer starts the return: a return that was never tried may do nothing. @returns why not */
  private async triesReturn(): Promise<string> {
    const nonce = randomBytes(8).toString('hex');
    const begun = await this.line.read(tryReturn(nonce), true);
    if (begun.code !== 0) return 'Its timers start nothing, so it was not switched over.';
    const until = Date.now() + this.work.trialSeconds * 1000;
    while (Date.now() < until) {
      await this.line.wait(this.work.patience.look);
      if ((await this.line.read(triedQuestion, true)).text.trim() === nonce) return '';
    }
    return 'Its timer did not start the return within its time, so it was not switched over.';
  }

  /** Looks for it on both networks until it is proved on one, or gone for longer than it can need. */
  private async follow(manager: NetManager, until: number): Promise<BoardMoved> {
    const { work } = this;
    await work.note('proving', '');
    while (Date.now() < until) {
      await this.line.wait(work.patience.look);
      await work.seekNew();
      if (await this.isThere(manager)) return this.keep(manager);
      await work.seek();
      // It answers where it was: it has not gone yet, or is back.
      const looked = await this.answered(() => this.look());
      if (looked?.move?.id === work.network.moveId && looked.move.state === 'returned')
        return this.cameBack('It went back by itself: it could not be proved on the new network.');
    }
    return {
      state: 'missing',
      message:
        'It is on neither network. Look at its lights, give it power anew: it starts on the old network then.',
    };
  }

  /** Whether it is proved at an address of the new network, and says itself that it is on it. */
  private async isThere(manager: NetManager): Promise<boolean> {
    const { work } = this;
    const place = await work.place();
    if (place === null || !work.isNew(place.address)) return false;
    const on = await this.answered(() => this.line.read(isOnNetwork(manager, work.network), true));
    return on?.code === 0;
  }

  /** What the board answers right now, where it was proved last; null where it does not. */
  private async answered<T>(ask: () => Promise<T>): Promise<T | null> {
    try {
      await this.line.open(1);
      return await ask();
    } catch (error) {
      if (!(error instanceof ShellError) || error.fault === 'stopped') throw error;
      return null;
    } finally {
      this.line.close();
    }
  }

  private async keep(manager: NetManager): Promise<BoardMoved> {
    const { work } = this;
    await work.note('keeping', '');
    const kept = await this.line.read(keepNetwork(manager, work.network, work.priority, 'kept'), true);
    if (kept.code === 20)
      return this.cameBack(
        'It went back in the moment in which it was proved: give it more minutes, and begin anew.',
      );
    if (kept.code !== 0) return this.notKept(kept.code, kept.text);
    return { state: 'moved', message: 'It was proved on the new network by its host key, and stays.' };
  }

  private async notKept(code: number | null, text: string): Promise<BoardMoved> {
    await this.goBack();
    const why = COULD_NOT_KEEP[code ?? -1] ?? lastLine(this.line.clean(text));
    return { state: 'hand', message: `It could not be kept on the new network, and went back: ${why}` };
  }
}

const lastLine = (text: string): string =>
  text
    .split('\n')
    .map((one) => one.trim())
    .filter((one) => one !== '')
    .at(-1)
    ?.slice(0, 200) ?? 'it said nothing';

/**
 * Moves one board to another network, with a way back on the board itself. It can be begun again at any time: where the
 * board is, it says itself.
 * @throws what `note` throws
 */
export const moveBoard = (work: MoveWork): Promise<BoardMoved> => new Moving(work).go();
