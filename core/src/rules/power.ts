import { everyFeed, feedBoards, type Feed } from '../power/power';
import { socketAmps, USB_SOURCE_VOLTS } from '../power/wire';
import { findBoard } from '../boards/profiles';
import { settingsOf } from '../plan/effective';
import { deviceTitle, type Hit, type Rule } from './rule';

const amps = (value: number | null): string => `${String(Number((value ?? 0).toPrecision(3)))} A`;

/** Devices of one kind of trouble, told in one finding: a whole batch on thin cables is one mistake and not fifty. */
function together(feeds: readonly Feed[], hit: (names: string, first: Feed) => Omit<Hit, 'deviceId'>): Hit[] {
  const [first] = feeds;
  if (!first) return [];
  const others = feeds.length - 1;
  const names = `${deviceTitle(first.device)}${others > 0 ? ` and ${String(others)} more` : ''}`;
  return [hit(names, first)];
}

const supplyRating: Rule = {
  id: 'supply-rating',
  title: 'Every board hangs on a supply that can feed it, with a margin',
  why: 'An overloaded supply drops its voltage: boards restart, cards are damaged. It may also grow hot. Local rules for mains adapters apply.',
  source: 'common practice: a fifth is left unused',
  check: (view) => {
    const fed = feedBoards(view.plan, view.boards);
    const plugged = everyFeed({ ...fed, unfed: [] });
    return [
      ...together(
        plugged.filter(({ standing }) => standing === 'over'),
        (names, first) => ({
          severity: 'warns',
          place: 'power.supplies',
          message: `${names}: ${amps(first.amps)} are drawn at worst, the supply gives ${amps(first.rating)}.`,
          fix: 'Use a stronger supply, or feed what hangs on the board by itself.',
        }),
      ),
      ...together(
        plugged.filter(({ standing }) => standing === 'tight'),
        (names, first) => ({
          severity: 'note',
          place: 'power.supplies',
          message: `${names}: ${amps(first.amps)} of ${amps(first.rating)} leave less than the margin of ${String(view.plan.power.marginPercent)} %.`,
          fix: 'It works on the bench; for years in the field take a stronger supply.',
        }),
      ),
      ...fed.supplies
        .filter(({ standing }) => standing === 'tight')
        .map(({ title, load, totalAmps }): Hit => ({
          severity: 'note',
          place: 'power.supplies',
          message: `${title || 'A supply'}: ${amps(load)} of ${amps(totalAmps)} together leave less than the margin of ${String(view.plan.power.marginPercent)} %.`,
          fix: 'Spread the boards over another supply if it shall run for long.',
        })),
      ...together(fed.unfed, (names) => ({
        severity: 'warns',
        place: 'power.supplies',
        message: `${names}: no socket is left that could feed it.`,
        fix: 'Plan another supply, or power the boards in turns.',
      })),
    ];
  },
};

const cableDrop: Rule = {
  id: 'cable-drop',
  title: 'Enough voltage is left at the board',
  why: 'A long or thin cable takes away voltage just when the board draws most: it browns out, and nobody sees why.',
  source: 'ASTM B258 (wire), IEC 60028 (copper), USB 2.0 section 7.2.2',
  check: (view) => {
    const all = everyFeed(feedBoards(view.plan, view.boards));
    return together(
      all.filter(({ volts, minVolts }) => volts !== null && minVolts !== null && volts < minVolts),
      (names, first) => ({
        severity: 'warns',
        place: 'power.cable.metres',
        message: `${names}: ${(first.volts ?? 0).toFixed(2)} V are left at the board, ${(first.minVolts ?? 0).toFixed(2)} V is the least.`,
        fix: 'Use a shorter or thicker cable; the chart under Power shows how long it may be.',
      }),
    );
  },
};

const socketCurrent: Rule = {
  id: 'socket-current',
  title: 'The power socket carries what is drawn',
  why: 'Contacts that carry more than they are made for grow hot, wear out, and drop the voltage.',
  source: 'USB Type-C specification section 4.5, Micro-USB specification section 6.6 (from memory)',
  check: (view) => {
    const all = everyFeed(feedBoards(view.plan, view.boards));
    const limitOf = ({ device }: Feed): number | null => {
      const board = findBoard(view.boards, settingsOf(view.plan, device).boardProfileId);
      return board ? socketAmps[board.powerSocket] : null;
    };
    return together(
      all.filter((feed) => feed.amps !== null && feed.amps > (limitOf(feed) ?? Infinity)),
      (names, first) => ({
        severity: 'warns',
        place: 'power.supplies',
        message: `${names}: ${amps(first.amps)} go through a socket that carries ${amps(limitOf(first))}.`,
        fix: 'Feed what hangs on the board by itself, or use a board with another socket.',
      }),
    );
  },
};

const sourceVolts: Rule = {
  id: 'source-volts',
  title: 'The supply gives the voltage of a USB supply',
  why: 'Below it the cable has nothing left to lose; far above it the board is damaged.',
  source: 'USB 2.0 section 7.2.2 (4.75 V to 5.25 V); USB Type-C allows up to 5.5 V (from memory)',
  check: ({ plan, boards, variants }) => {
    const fed = variants.some(({ settings }) => {
      const socket = findBoard(boards, settings.boardProfileId)?.powerSocket;
      return socket === 'USB-C' || socket === 'micro USB';
    });
    const volts = plan.power.cable.sourceVolts;
    if (!fed || (volts >= USB_SOURCE_VOLTS && volts <= 5.5)) return [];
    return [
      {
        severity: 'warns',
        place: 'power.cable.sourceVolts',
        message: `${volts.toFixed(2)} V at the supply are not what USB gives.`,
        fix: 'Measure it under load; 5.0 to 5.2 V is usual.',
      },
    ];
  },
};

export const powerRules: readonly Rule[] = [supplyRating, socketCurrent, sourceVolts, cableDrop];
