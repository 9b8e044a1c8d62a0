import { Findings, type BootFile, type CheckFinding } from '../../formats/finding';

/** Reads what a script left behind: the card has booted, and this is how it went. */
export function checkLog(file: BootFile): CheckFinding[] {
  const found = new Findings(file.name);
  const lines = new TextDecoder().decode(file.content).split('\n');
  for (const [at, line] of lines.entries())
    if (line.startsWith('FAILED: '))
      found.add(
        'warns',
        'script-failed',
        `The script could not do this: ${line.slice('FAILED: '.length, 200)}.`,
        'The other steps were done; this one is missing on the board.',
        'Do it by hand on the board, or write the card again.',
        { line: at + 1 },
      );
  found.add(
    'note',
    'script-ran',
    lines.includes('ended')
      ? 'The script has run on a board, and took itself away.'
      : 'The script has begun on a board and was cut off.',
    'What it set is on the board’s own file system, which is not read here.',
    'Write the card again to set the board up anew.',
  );
  return found.list;
}
