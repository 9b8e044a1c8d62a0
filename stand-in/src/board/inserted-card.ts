import type { StandInReader } from '../reader/reader';
import type { StandInCard } from '../state';
import { BoardSystem, type BoardOrder } from '../system/board-system';
import { removeOthers, rootFor } from '../system/roots';
import { readCard, readFirstBoot } from './read-card';
import type { BoardSettings } from './settings';

/** The card that a board starts from, and the system that it makes of it. */
export class InsertedCard {
  /** Which writing of which card it started from: its system lasts until that changes. */
  private writing = '';

  /**
   * @param cardOf the card that is in it now; throws BootFailure where there is none
   * @param roots folder of the boards' systems; null where this machine lets no commands run
   */
  constructor(
    private readonly reader: StandInReader,
    private readonly nest: string,
    private readonly cardOf: () => StandInCard,
    private readonly roots: string | null,
  ) {}

  /** What the board takes from it. @throws BootFailure */
  async read(): Promise<BoardSettings> {
    const card = this.cardOf();
    const label = await this.reader.labelOf(card.id);
    this.writing = `${card.id} ${label?.writing ?? ''} ${label?.mark ?? ''}`;
    return this.reader.withSource(card, readCard);
  }

  /** The board's system; it is made when somebody first logs in. @param ordered told what its programs ask for */
  system(settings: BoardSettings, ordered: (order: BoardOrder) => void): BoardSystem | null {
    const { roots, nest } = this;
    if (roots === null) return null;
    const root = rootFor(roots, nest, this.writing);
    return new BoardSystem(
      root,
      async () => {
        await removeOthers(roots, nest, root);
        return this.reader.withSource(this.cardOf(), (source) => readFirstBoot(source, settings));
      },
      ordered,
      settings.instanceId,
    );
  }
}
