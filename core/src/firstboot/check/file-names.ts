import { markerFiles, seedFiles } from '../file-names';
import { Findings, type CheckFinding } from '../../formats/finding';
import { nearest } from '../../formats/spelling';

const wanted = [...seedFiles, ...markerFiles];

/** Extensions that editors add, and that some systems hide. */
const added = /\.(txt|text|conf|yaml|yml|rtf|doc|docx|bak)$/i;

/** Names that only look right to a person. */
export function checkFileNames(names: readonly string[]): CheckFinding[] {
  const findings: CheckFinding[] = [];
  for (const name of names) {
    const found = new Findings(name);
    const exact = wanted.find((file) => file.toLowerCase() === name.toLowerCase());
    if (exact && exact !== name)
      found.add(
        'warns',
        'file-capitals',
        `${name} is written with capitals.`,
        'Some systems take it all the same, others look for exactly this name and find nothing.',
        exact,
        { fix: { do: 'rename', file: name, to: exact } },
      );
    const short = name.replace(added, '');
    const meant =
      short === name ? undefined : wanted.find((file) => file.toLowerCase() === short.toLowerCase());
    if (!exact && meant)
      found.add(
        'stops',
        'hidden-extension',
        `${name} has an extension too much.`,
        'An editor added it, and a system that hides extensions shows the name without it. The board looks for the name alone.',
        meant,
        names.some((other) => other.toLowerCase() === meant.toLowerCase())
          ? {}
          : { fix: { do: 'rename', file: name, to: meant } },
      );
    // Short names are too near to too many others.
    const near = exact || meant || name.length < 6 ? null : nearest(name, wanted);
    if (near !== null)
      found.add(
        'stops',
        'file-misspelt',
        `${name} is misspelt: ${near} is looked for.`,
        'The board looks for exactly this name, and does not see the file.',
        near,
        names.some((other) => other.toLowerCase() === near)
          ? {}
          : { fix: { do: 'rename', file: name, to: near } },
      );
    findings.push(...found.list);
  }
  return findings;
}
