import { findBoard, type BoardProfile } from '../boards/profiles';
import { settingsOf } from '../plan/effective';
import type { Plan } from '../plan/model';
import { usesWifi } from '../plan/uses-wifi';

/** One line of what has to lie ready. */
export interface KitLine {
  /** Stays the same while amounts change, so that prices and stock keep to it. */
  id: string;
  title: string;
  needed: number;
  spare: number;
  stock: number;
  /** What is left to buy. */
  buy: number;
  /** Price of one, null while nobody has typed it. */
  price: number | null;
  cost: number | null;
  why: string;
}

export interface KitList {
  lines: KitLine[];
  total: number;
  /** Lines to buy without a price: the total is short of them. */
  unpriced: number;
}

interface Want {
  id: string;
  title: string;
  needed: number;
  /** Whether spares are counted for it. */
  wears: boolean;
  why: string;
}

const socketTitles: Record<BoardProfile['powerSocket'], string> = {
  'USB-C': 'USB-C',
  'micro USB': 'micro USB',
  barrel: 'a barrel plug',
  terminals: 'screw terminals',
};

/** Sustained writing of the speed classes (SD Association: class 10 and U1 10 MB/s, U3 30 MB/s). */
export const cardClasses: Record<Plan['kit']['cardClass'], string> = {
  'class-10': 'class 10 or U1, 10 MB/s sustained',
  u3: 'U3, 30 MB/s sustained',
};

function count<T>(items: readonly T[], key: (item: T) => string | null): Map<string, number> {
  const counts = new Map<string, number>();
  for (const item of items) {
    const name = key(item);
    if (name !== null) counts.set(name, (counts.get(name) ?? 0) + 1);
  }
  return counts;
}

/** What the batch needs, before spares and stock. */
function wants(plan: Plan, boards: readonly BoardProfile[]): Want[] {
  const { kit, power } = plan;
  const all = plan.devices.map((device) => {
    const settings = settingsOf(plan, device);
    return { device, settings, board: findBoard(boards, settings.boardProfileId) };
  });
  const known = all.flatMap(({ board }) => (board ? [board] : []));
  const each = <T extends string>(
    of: (board: BoardProfile) => T | null,
    want: (value: T, needed: number) => Want,
  ): Want[] => [...count(known, of)].map(([value, needed]) => want(value as T, needed));
  const cards = known.filter(({ storage }) => storage === 'card').length;
  const list: Want[] = [
    ...each(
      ({ id }) => id,
      (id, needed) => ({
        id: `board:${id}`,
        title: `Board: ${findBoard(boards, id)?.title ?? id}`,
        needed,
        wears: true,
        why: 'One for each device.',
      }),
    ),
    {
      id: `card:${String(kit.cardGB)}:${kit.cardClass}`,
      title: `Memory card, ${String(kit.cardGB)} GB, ${cardClasses[kit.cardClass]}`,
      needed: cards,
      wears: true,
      why: 'One for each device that starts from a card.',
    },
    {
      id: `drive:${String(kit.cardGB)}`,
      title: `USB drive, ${String(kit.cardGB)} GB or more`,
      needed: known.filter(({ storage }) => storage === 'usb').length,
      wears: true,
      why: 'One for each device that starts from a USB drive.',
    },
    {
      id: 'jumper',
      title: 'Jumper for the carrier',
      needed: Math.max(
        0,
        ...known.map(({ storage, carrierJumpers }) => (storage === 'emmc' ? carrierJumpers : 0)),
      ),
      wears: true,
      why: 'Fitted while soldered flash is written, taken out afterwards; one set serves all.',
    },
    {
      id: 'data-cable',
      title: 'USB data cable for the carrier',
      needed: known.some(({ storage }) => storage === 'emmc') ? 1 : 0,
      wears: true,
      why: 'Connects the carrier to the workstation while its flash is written.',
    },
    {
      id: 'reader-slots',
      title: 'Card reader slot',
      needed: cards > 0 ? plan.bench.slots * plan.bench.readers : 0,
      wears: false,
      why: 'As many as the plan writes at once.',
    },
  ];
  if (power.supplies.length > 0)
    for (const { id, title, count: pieces, ports } of power.supplies)
      list.push({
        id: `supply:${id}`,
        title: `Supply: ${title || 'without a title'}, ${String(ports.length)} sockets`,
        needed: pieces,
        wears: false,
        why: 'From the power plan.',
      });
  else
    list.push(
      ...each(
        ({ supplyAmps, powerSocket }) =>
          supplyAmps === null ? null : `${String(supplyAmps)}|${powerSocket}`,
        (key, needed): Want => {
          const [amps = '', socket = ''] = key.split('|');
          return {
            id: `supply:single:${key}`,
            title: `Supply, 5 V ${amps} A, for ${socketTitles[socket as BoardProfile['powerSocket']]}`,
            needed,
            wears: true,
            why: 'One for each device; never a computer’s USB port.',
          };
        },
      ),
    );
  const { metres, awg } = power.cable;
  list.push(
    ...each(
      ({ powerSocket }) => powerSocket,
      (socket, needed): Want => ({
        id: `cable:${socket}`,
        title: `Power cable to ${socketTitles[socket]}, ${String(metres)} m or shorter, AWG ${String(awg)} or thicker`,
        needed,
        wears: true,
        why: 'Short and thick: the drop in a thin one causes brown-outs.',
      }),
    ),
  );
  const wired = all.filter(({ board, settings }) => board && !board.ethernet && !usesWifi(board, settings));
  list.push({
    id: 'network-adapter',
    title: 'USB network adapter',
    needed: wired.length,
    wears: true,
    why: 'For boards that have neither a usable radio nor a network socket.',
  });
  const cabled = all.filter(({ board, settings }) => board?.ethernet && !usesWifi(board, settings));
  list.push({
    id: 'network-cable',
    title: 'Network cable',
    needed: cabled.length + wired.length,
    wears: true,
    why: 'For boards that join by wire.',
  });
  if (kit.serviceSets > 0) {
    const kinds = (name: 'video' | 'usb'): string[] => [...new Set(known.map((board) => board[name]))];
    for (const kind of kinds('video'))
      if (kind === 'mini' || kind === 'micro')
        list.push({
          id: `video:${kind}`,
          title: `Video adapter, ${kind} socket to full size`,
          needed: kit.serviceSets,
          wears: false,
          why: 'For the day when a board must be opened up to a screen.',
        });
    if (kinds('usb').includes('micro'))
      list.push({
        id: 'usb:micro',
        title: 'USB adapter, micro socket to full size',
        needed: kit.serviceSets,
        wears: false,
        why: 'For a keyboard on the day when a board must be opened.',
      });
  }
  if (kit.camera) {
    const ribbons = count(known, ({ cameraRibbon }) => (cameraRibbon === 'none' ? null : cameraRibbon));
    list.push({
      id: 'camera',
      title: 'Camera',
      needed: [...ribbons.values()].reduce((sum, value) => sum + value, 0),
      wears: true,
      why: 'One for each board that has a socket for it.',
    });
    for (const [width, needed] of ribbons)
      list.push({
        id: `ribbon:${width}`,
        title: `Camera ribbon, ${width}`,
        needed,
        wears: true,
        why: 'The widths do not fit each other.',
      });
  }
  list.push({
    id: 'label',
    title: 'Label',
    needed: plan.devices.length,
    wears: true,
    why: 'Carries the mark of each device.',
  });
  return list.filter(({ needed }) => needed > 0);
}

/** Spares, rounded up, so that ten percent of three is one. */
const spares = (needed: number, percent: number): number => Math.ceil((needed * percent) / 100 - 1e-9);

/** The kit of a batch: needed, spare, in stock, to buy, and what that costs. */
export function kitList(plan: Plan, boards: readonly BoardProfile[]): KitList {
  const { kit } = plan;
  const lines = wants(plan, boards).map(({ id, title, needed, wears, why }): KitLine => {
    const spare = wears ? spares(needed, kit.sparePercent) : 0;
    const stock = kit.stock[id] ?? 0;
    const buy = Math.max(0, needed + spare - stock);
    const price = kit.prices[id] ?? null;
    return { id, title, needed, spare, stock, buy, price, cost: price === null ? null : price * buy, why };
  });
  return {
    lines,
    total: lines.reduce((sum, { cost }) => sum + (cost ?? 0), 0),
    unpriced: lines.filter(({ price, buy }) => price === null && buy > 0).length,
  };
}
