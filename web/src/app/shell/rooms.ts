/** Open shows nests with names, a strip one line of rings, away nothing. */
export type TraySize = 'open' | 'strip' | 'away';

/** What stands beside a view's own work. */
export interface Room {
  tray: TraySize;
  /** Whether the column of findings is there. */
  column: boolean;
}

/** Up to so many devices the tray stays open where cards are written and boards are looked for. */
export const OPEN_UP_TO = 16;

/**
 * The room of a view before anybody changed it: the tray is open where it is the work, findings stand beside what they
 * are about.
 */
export function usualRoom(view: string, devices: number): Room {
  const [stage, part] = view.split('/');
  switch (stage) {
    case 'plan':
      return { tray: part === undefined ? 'open' : 'strip', column: true };
    case 'cards':
      return { tray: devices <= OPEN_UP_TO ? 'open' : 'strip', column: true };
    case 'boot':
      return { tray: devices <= OPEN_UP_TO ? 'open' : 'strip', column: false };
    case 'bring-up':
    case 'hand-over':
    case 'move':
    case 'field':
    case 'device':
      return { tray: 'strip', column: false };
    default:
      return { tray: 'away', column: false };
  }
}
