import { equalBytes } from '../../bytes';
import type { BootFiles } from '../boot-files';
import type { FirstBootMethod } from '../method';
import { ownCarries } from './carries';
import { ownMethodId } from '../../plan/model';
import type { OwnDescription, OwnMethod } from '../../plan/own-method';
import { networksOf, ownSettings, readOwnFiles, usersOf, type CardValue } from './reads-back';
import { takeOwnOver } from './takes-over';
import { valueTitle } from './values';
import { writeOwnFiles } from './writes';

const made = new WeakMap<OwnMethod, FirstBootMethod>();

/** A description as a method like any other. */
export function ownMethod(own: OwnMethod): FirstBootMethod {
  const { description } = own;
  const known = made.get(own);
  if (known) return known;
  const paths = description.files.map(({ path }) => path.toLowerCase());
  const method: FirstBootMethod = {
    id: ownMethodId(own.id),
    title: description.title,
    carries: ownCarries(description),
    ownFiles: paths,
    // A person says which images take it.
    detect: () => Promise.resolve(null),
    looksFor: 'a person says that an image takes it',
    // What reads its files is the image's own program, of which nothing is known here.
    inert: () => null,
    lacks: () => [],
    again: null,
    files: (settings, base) => writeOwnFiles(description, settings, base),
    acts: (boot) => actsBy(description, boot),
    readBack: (boot, settings) => {
      const { values, findings } = readOwnFiles(description, boot);
      ownSettings(values, settings);
      return findings;
    },
    takeOver: (boot) => takeOwnOver(description, boot),
  };
  made.set(own, method);
  return method;
}

/** A card is of a description when a file says something by it; a file of that name alone may be anybody's. */
function actsBy(description: OwnDescription, boot: BootFiles): string | null {
  const { values } = readOwnFiles(description, boot);
  const [first] = values;
  return first ? `${first.path} says what "${description.title}" describes.` : null;
}

/** Different at each writing, and no change of the plan: the private form of a key holds numbers that are drawn anew. */
const passing = ['writing', 'hostKey'];

/** What of a plan is otherwise now than on a card, in words; secrets are compared and never told. */
export function ownChanges(description: OwnDescription, card: BootFiles, now: BootFiles): string[] {
  const [there, wanted] = [readOwnFiles(description, card).values, readOwnFiles(description, now).values];
  const sortOf = ({ part, path, entry, at }: CardValue): string =>
    `${path} ${String(entry)} ${String(at)} ${part.name} ${part.spelling ?? ''}`;
  const changed = new Set<string>();
  const left = new Map(there.map((value) => [sortOf(value), value]));
  for (const value of wanted) {
    const old = left.get(sortOf(value));
    left.delete(sortOf(value));
    if (passing.includes(value.part.name)) continue;
    if (!old || !equalBytes(old.octets, value.octets)) changed.add(valueTitle(value.part.name));
  }
  for (const value of left.values()) changed.add(valueTitle(value.part.name));
  const counts = [
    networksOf(there).length !== networksOf(wanted).length,
    usersOf(there).length !== usersOf(wanted).length,
  ];
  return [
    ...[...changed].map((title) => `Otherwise in the plan now: ${title}.`),
    ...(counts[0] ? ['There are more or fewer networks in the plan now.'] : []),
    ...(counts[1] ? ['There are more or fewer users in the plan now.'] : []),
  ];
}
