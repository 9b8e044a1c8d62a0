import { readKeys } from '../readers';
import { said, unknown, well, type Step } from '../model';
import { shellWord } from '../../formats/shell/word';

/**
 * Takes exactly one key out of a user's list, whole or not at all, as that user. The key is known by its blob, since
 * anybody can change a comment. Drafts have a name of our own, so that what a cut left can be taken away and nothing
 * that somebody keeps beside the list. A list that is a link is not touched: it would be replaced by a file.
 * @param blob base64
 */
export const keyOffCommand = (blob: string): string => `f=$HOME/.ssh/authorized_keys
[ -L "$f" ] && { echo "authorized_keys is a link"; exit 3; }
[ -f "$f" ] || exit 0
t=$(mktemp "$f.nest-mark.XXXXXX") || exit 4
awk -v k=${shellWord(blob)} '{ for (i = 1; i <= NF; i++) if ($i == k) next; print }' "$f" >"$t" &&
    chmod --reference="$f" "$t" && sync "$t" && mv -f "$t" "$f" || { rm -f "$t"; exit 5; }
sync "$HOME/.ssh"
for old in "$f".nest-mark.??????; do [ -f "$old" ] && rm -f "$old"; done
true`;

/** A list that is not there holds no key; one that cannot be read may. */
const OWN_KEYS = `d=$HOME/.ssh
[ -d "$d" ] || exit 0
[ -x "$d" ] || exit 9
[ -e "$d/authorized_keys" ] || exit 0
[ -r "$d/authorized_keys" ] || exit 9
sed "s/^/me /" "$d/authorized_keys"`;

/** The bench's own key is taken off the board. */
export const keyOff: Step = {
  id: 'key-off',
  title: 'Bench key off',
  why: 'Whoever gets the board must not have to trust this bench for ever.',
  source: 'sshd(8), "AUTHORIZED_KEYS FILE FORMAT"',
  questions: () => [
    { id: 'own-keys', command: OWN_KEYS, root: false },
    { id: 'linked', command: '[ -L "$HOME/.ssh/authorized_keys" ]', root: false },
  ],
  judge({ answers, expected }) {
    const { benchKey, passwordLogin } = expected;
    if (benchKey === null) return well('The bench has no key of its own for this batch.');
    const text = said(answers, 'own-keys');
    if (text === null)
      return unknown(
        answers.get('own-keys')?.code === 9
          ? 'The list of keys cannot be read, so nobody can tell whether the bench’s key is on it.'
          : 'The board did not tell its keys.',
      );
    const keys = readKeys(text).get('me') ?? [];
    if (!keys.includes(benchKey)) return well('The bench’s key is not on the board.');
    if (answers.get('linked')?.code === 0)
      return {
        verdict: 'differs',
        text: 'The list of keys is a link to another file, which is not changed from here.',
        findings: [
          {
            severity: 'warns',
            text: 'The list of keys is a link to another file, which is not changed from here.',
            todo: 'Take the bench’s key out of that file by hand.',
          },
        ],
      };
    if (keys.every((key) => key === benchKey) && !passwordLogin)
      return {
        verdict: 'differs',
        text: 'Without the bench’s key nobody could log in: there is no other key, and no password.',
        findings: [
          {
            severity: 'stops',
            text: 'Without the bench’s key nobody could log in: there is no other key, and no password.',
            todo: 'Put the key of whoever gets the board into the plan and onto the board first.',
          },
        ],
      };
    return {
      verdict: 'to-do',
      text: 'The bench’s key is still on the board.',
      findings: [
        {
          severity: 'warns',
          text: 'The bench’s key is still on the board.',
          todo: 'Take its line out of ~/.ssh/authorized_keys.',
        },
      ],
    };
  },
  change: { kind: 'key-off' },
  byHand: 'nano ~/.ssh/authorized_keys, and take out the line that ends in nest-mark-bench',
  last: true,
  minutes: 0.1,
};
