import { decimalSize } from '../../units';
import { said, unknown, well, type Step } from '../model';

/** Share of the card that a grown root has at least; the boot partition and ext's own tables take the rest. */
const GROWN = 0.85;

/** Whether the root file system fills its card. */
export const rootGrown: Step = {
  id: 'root-grown',
  title: 'Root fills the card',
  why: 'An image is a few gigabytes. Where its root was not grown at the first boot, the first upgrade fills it.',
  source: 'findmnt(8), lsblk(8)',
  questions: () => [
    { id: 'root', command: 'findmnt -nbro SOURCE,SIZE /', root: false },
    {
      id: 'card',
      command: 'lsblk -bndo SIZE "/dev/$(lsblk -ndo PKNAME "$(findmnt -no SOURCE /)")"',
      root: false,
    },
  ],
  judge({ answers }) {
    const size = Number(said(answers, 'root')?.split(/\s+/)[1] ?? NaN);
    const card = Number(said(answers, 'card') ?? NaN);
    if (!(size > 0) || !(card > 0))
      return unknown('The board did not tell how large its root and its card are.');
    const text = `${decimalSize(size)} of ${decimalSize(card)}`;
    if (size >= GROWN * card) return well(`The root has ${text}.`);
    return {
      verdict: 'differs',
      text: `The root has only ${text}.`,
      findings: [
        {
          severity: 'warns',
          text: `The root has only ${text}.`,
          todo: 'Grow its partition and then its file system, with the tools of the image; a reboot may be needed in between.',
        },
      ],
    };
  },
  change: null,
  byHand: '',
  last: false,
  minutes: 0,
};
