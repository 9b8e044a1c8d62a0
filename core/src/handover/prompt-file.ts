import { shellWord } from '../formats/shell/word';
import type { ExtraFile } from '../plan/extras-model';
import { inComment } from '../plain-name';
import type { LabelColour } from './colours';

/** Where login shells look for what all users of a board have (bash(1), "INVOCATION"; common practice). */
export const PROMPT_FILE = '/etc/profile.d/nest-mark-colour.sh';

const rgb = (hex: string): string =>
  [1, 3, 5].map((at) => String(Number.parseInt(hex.slice(at, at + 2), 16))).join(';');

/**
 * A file by which a board shows the colour of its label before each prompt, always with the letter, and says once at the
 * login what it stands for. The colours are those of ECMA-48, SGR 38 and 48 with ISO 8613-6's direct colour; between
 * `\[` and `\]` they take no room of the line (bash(1), "PROMPTING"). The prompt is added to when it is first shown,
 * since a user's own files set it after this one.
 */
export function promptFile({ letter, hex, ink, title }: LabelColour): ExtraFile {
  return {
    place: 'board',
    path: PROMPT_FILE,
    mode: '0644',
    content: `# The colour of this board's label, with its letter, before each prompt.
case $- in
    *i*)
        printf '%s\\n' ${shellWord(`${letter}: ${inComment(title)}`)}
        if [ -n "\${BASH_VERSION:-}" ]; then
            nest_mark_colour() {
                case $PS1 in
                    *'[ ${letter} ]'*) ;;
                    *) PS1='\\[\\e[48;2;${rgb(hex)};38;2;${rgb(ink)}m\\][ ${letter} ]\\[\\e[0m\\] '$PS1 ;;
                esac
            }
            PROMPT_COMMAND="nest_mark_colour\${PROMPT_COMMAND:+; $PROMPT_COMMAND}"
        fi ;;
esac
`,
  };
}
