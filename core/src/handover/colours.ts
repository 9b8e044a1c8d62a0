import type { Plan } from '../plan/model';

/**
 * Twelve colours that stay apart on paper and screen, also for people who see few of them: between any two the
 * difference is 12 or more (CIEDE2000) for usual eyes and with each of the three simulated dichromacies (Machado,
 * Oliveira and Fernandes, 2009); core/test/colours.spec.ts measures it. Neighbours differ in lightness; what is almost
 * black on a bad printer comes last.
 */
const hues = [
  '#ffdb24',
  '#0000db',
  '#b6dbb6',
  '#92496d',
  '#dbdbff',
  '#004900',
  '#b66d00',
  '#9292b6',
  '#9249ff',
  '#6d926d',
  '#490049',
  '#242424',
] as const;

/** A colour never stands alone: its letter is on it, and what it stands for beside it. */
export interface LabelColour {
  letter: string;
  hex: string;
  /** Ink that is read on it. */
  ink: '#000000' | '#ffffff';
  /** What it stands for. */
  title: string;
}

/** Relative luminance (WCAG 2.2, "relative luminance"). */
function luminance(hex: string): number {
  const part = (at: number): number => {
    const value = Number.parseInt(hex.slice(at, at + 2), 16) / 255;
    return value <= 0.04045 ? value / 12.92 : ((value + 0.055) / 1.055) ** 2.4;
  };
  return 0.2126 * part(1) + 0.7152 * part(3) + 0.0722 * part(5);
}

/** The colours without what they stand for, in the order in which they are given out. */
export const labelColours: readonly Omit<LabelColour, 'title'>[] = hues.map((hex, at) => ({
  letter: String.fromCharCode('A'.charCodeAt(0) + at),
  hex,
  // Both inks are equally well read where the luminance plus 0.05 is the square root of 1.05 times 0.05.
  ink: luminance(hex) + 0.05 > Math.sqrt(1.05 * 0.05) ? '#000000' : '#ffffff',
}));

/**
 * The colours of a batch by its devices' ids: one for each role, or for each device, as the plan chooses. Where there are
 * more than twelve of them the others have none, since a thirteenth could be taken for one of these.
 */
export function coloursOf(plan: Plan): Map<string, LabelColour> {
  const { colours } = plan.handOver;
  if (colours === 'none') return new Map();
  const of = (device: Plan['devices'][number]): string =>
    colours === 'role' ? device.role.trim() : device.hostName;
  const titles = [...new Set(plan.devices.map(of))].filter((title) => title !== '');
  const byTitle = new Map(
    titles.flatMap((title, at): [string, LabelColour][] => {
      const colour = labelColours[at];
      return colour ? [[title, { ...colour, title }]] : [];
    }),
  );
  return new Map(
    plan.devices.flatMap((device): [string, LabelColour][] => {
      const colour = byTitle.get(of(device));
      return colour ? [[device.id, colour]] : [];
    }),
  );
}
