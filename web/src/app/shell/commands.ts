/** Something that the command line can find or do. */
export interface Command {
  kind: 'device' | 'page' | 'field' | 'batch' | 'action' | 'card' | 'image';
  title: string;
  more: string;
  run: () => void;
}

/** Most entries that are shown at once. */
const limit = 9;

/** Commands that hold every word typed; those whose title begins with it come first. */
export function matching(commands: readonly Command[], typed: string): Command[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const text = (command: Command): string => `${command.title} ${command.more}`.toLowerCase();
  const hits = commands.filter((command) => words.every((word) => text(command).includes(word)));
  const begins = (command: Command): number =>
    command.title.toLowerCase().startsWith(words[0] ?? '') ? 0 : 1;
  return [...hits].sort((a, b) => begins(a) - begins(b)).slice(0, limit);
}
