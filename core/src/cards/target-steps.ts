import type { BoardProfile } from '../boards/profiles';

/** What hands have to do around the writing of a medium that is no card. */
export interface TargetSteps {
  title: string;
  before: readonly string[];
  after: readonly string[];
  /** What has to be confirmed afterwards, or the board does not start; empty where there is nothing. */
  check: string;
}

/**
 * Steps for boards whose medium is soldered flash or a USB drive; null for cards. Sources: common practice; the
 * board's own manual is to be followed where it says otherwise.
 */
export function targetSteps(
  board: Pick<BoardProfile, 'storage' | 'carrierJumpers' | 'carrierSwitch'>,
): TargetSteps | null {
  if (board.storage === 'card') return null;
  if (board.storage === 'usb')
    return {
      title: 'USB drive',
      before: [
        'Plug the drive into this computer and wait until it shows up as a slot.',
        'Compare its size and serial number with what is printed on it: a backup disk looks the same from here.',
      ],
      after: [
        'Pull the drive only when it says that it can be pulled.',
        'Plug it into the board with the power off.',
      ],
      check: '',
    };
  const { carrierJumpers: jumpers, carrierSwitch } = board;
  const jumper = jumpers === 2 ? 'both jumpers' : 'the jumper';
  const set = [
    ...(jumpers > 0
      ? [`Fit ${jumper} that keep${jumpers === 2 ? '' : 's'} the board from starting from its flash.`]
      : []),
    ...(carrierSwitch ? ['Set the switch on the carrier to the same.'] : []),
  ];
  const back = [
    ...(jumpers > 0 ? [`Take ${jumper} out.`] : []),
    ...(carrierSwitch ? ['Set the switch back.'] : []),
  ];
  return {
    title: 'Soldered flash',
    before: [
      'Cut the board’s power and unplug it; never touch jumpers on a live board.',
      ...set,
      'Connect the carrier’s data port to this computer with a cable that carries data, not only power.',
      'Power the carrier, start the boot helper of the board’s maker on this computer and wait until it ends.',
      'Wait until the flash shows up as a slot, and compare its size.',
    ],
    after: ['Cut the power and unplug the data cable.', ...back],
    check:
      jumpers === 0 && !carrierSwitch
        ? ''
        : [
            jumpers === 2 ? 'both jumpers are out' : jumpers === 1 ? 'the jumper is out' : '',
            carrierSwitch ? 'the switch is back' : '',
          ]
            .filter((part) => part !== '')
            .join(' and '),
  };
}

/** A device as far as its carrier matters. */
interface OnCarrier {
  hostName: string;
  board: BoardProfile | null;
  /** State of its card; null without one. */
  card: string | null;
  carrierDoneAt: number | null;
}

/** Devices with a verified card whose carrier was not confirmed to be ready: they do not start from their flash. */
export const unreadyCarriers = (devices: readonly OnCarrier[]): { name: string; check: string }[] =>
  devices.flatMap(({ hostName, board, card, carrierDoneAt }) => {
    if (card !== 'verified' || carrierDoneAt !== null) return [];
    const check = board ? targetSteps(board)?.check : '';
    return check ? [{ name: hostName, check }] : [];
  });
