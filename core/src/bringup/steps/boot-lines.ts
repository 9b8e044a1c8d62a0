import { fromBase64, textOrNull, toBase64, utf8 } from '../../bytes';
import { BOOT_CONFIG_NAMES, mergeBootLines, readBootLines } from '../../firstboot/boot-config';
import { listed } from '../../listed';
import { said, unknown, well, type BoardAnswer, type BoardFinding, type Step } from '../model';
import { shellWord } from '../../formats/shell/word';

/** Octets of a boot configuration that is changed from here; those of images are some kilobytes. */
const MOST = 16_384;

/** Why there is no boot configuration to change, told by the question's exit code. */
const none: Readonly<Record<number, string>> = {
  3: 'The board has no boot configuration of a kind that is known here.',
  4: 'The board’s boot partition is not mounted, so what is changed in its folder would do nothing.',
};

/** Where systems mount their boot partition (common practice). */
const QUESTION = `code=3
for d in /boot/firmware /boot; do
    for f in ${BOOT_CONFIG_NAMES.join(' ')}; do
        [ -f "$d/$f" ] || continue
        code=4
        [ "$(findmnt -no TARGET --target "$d")" = "$d" ] || continue
        printf '%s\\n%s\\n' "$d/$f" "$(wc -c <"$d/$f")"
        base64 <"$d/$f"
        exit 0
    done
done
exit "$code"`;

/** A boot configuration as it lies on a board. */
export interface BoardBootConfig {
  path: string;
  text: string;
}

/** Reads the question's answer: path, octets, and the file in base64. @returns null when it cannot be changed from here */
export function readBootConfig(answer: BoardAnswer | undefined): BoardBootConfig | null {
  if (answer?.code !== 0) return null;
  const [path = '', size = '', ...rest] = answer.text.trim().split('\n');
  const octets = fromBase64(rest.join(''));
  if (
    octets?.length !== Number(size) ||
    octets.length > MOST ||
    !/^\/boot\/(?:[\w-]+\/)?[\w-]+\.txt$/.test(path)
  )
    return null;
  const text = textOrNull(octets);
  return text === null ? null : { path, text };
}

/**
 * Writes a boot configuration anew, as root: only where it still is what was read, beside it first, and read back. One
 * copy is kept as the image had it. FAT has no safe rename, so a board is shut down properly afterwards.
 */
export const writeBootConfig = (
  { path, text }: BoardBootConfig,
  after: string,
): string => `f=${shellWord(path)}
t=$f.nest-mark
before=${toBase64(utf8(text))}
after=${toBase64(utf8(after))}
is() { printf %s "$1" | base64 -d | cmp -s - "$2"; }
rm -f "$t"
is "$before" "$f" || { echo "somebody changed $f meanwhile"; exit 6; }
[ -e "$f.before" ] || cp "$f" "$f.before" || exit 7
printf %s "$after" | base64 -d >"$t" && sync "$t" && is "$after" "$t" && mv -f "$t" "$f" || { rm -f "$t"; echo "$f cannot be written"; exit 5; }
sync "\${f%/*}"
is "$after" "$f" || { echo "$f is not what was written"; exit 8; }
touch /run/reboot-required
echo "boot lines" >>/run/reboot-required.pkgs`;

/** What is there once a line is in force (common practice). */
const signs: readonly { identity: string; sign: RegExp; what: string; todo: string }[] = [
  {
    identity: 'dtparam=i2c_arm',
    sign: /\/dev\/i2c-/,
    what: 'I2C bus',
    todo: 'After a reboot: sudo modprobe i2c-dev, and "i2c-dev" in /etc/modules',
  },
  {
    identity: 'dtparam=spi',
    sign: /\/dev\/spidev/,
    what: 'SPI bus',
    todo: 'After a reboot: sudo modprobe spidev',
  },
];

/** Lines of the boot configuration are as planned: buses, serial port, camera, screen. */
export const bootLines: Step = {
  id: 'boot-lines',
  title: 'Boot lines',
  why: 'Buses, serial port, camera and screen are switched on by lines of the boot configuration, merged here as on the card. A card that was written before they were planned lacks them.',
  source: 'findmnt(8), base64(1), cmp(1); the form of the file is common practice',
  questions: ({ bootLines: wanted }) =>
    wanted.trim() === ''
      ? []
      : [
          { id: 'config', command: QUESTION, root: true },
          { id: 'devices', command: 'ls -d /dev/i2c-* /dev/spidev* 2>/dev/null; true', root: false },
        ],
  judge({ answers, expected }) {
    const wanted = readBootLines(expected.bootLines).lines;
    if (wanted.length === 0) return well('The plan has no boot lines.');
    const answer = answers.get('config');
    const config = readBootConfig(answer);
    if (!config) {
      const text = none[answer?.code ?? 0];
      return text === undefined
        ? unknown('The board’s boot configuration could not be read.')
        : {
            verdict: 'differs',
            text,
            findings: [{ severity: 'warns', text, todo: 'Put the lines there by hand, and reboot.' }],
          };
    }
    // Whether the last line is closed says nothing.
    if (mergeBootLines(config.text, expected.bootLines).trimEnd() === config.text.trimEnd()) {
      const devices = said(answers, 'devices') ?? '';
      const lacking = signs.filter(
        ({ identity, sign }) =>
          wanted.some((line) => line.identity === identity && line.text.endsWith('=on')) &&
          !sign.test(devices),
      );
      return well(
        `${wanted.length === 1 ? 'The planned line is' : `All ${String(wanted.length)} planned lines are`} in ${config.path}.`,
        lacking.map(({ what, todo }): BoardFinding => ({
          severity: 'note',
          text: `The line for the ${what} is there, and no ${what} is yet.`,
          todo,
        })),
      );
    }
    const there = new Set(readBootLines(config.text).lines.map(({ section, text }) => `${section} ${text}`));
    const away = wanted
      .filter(({ section, text }) => !there.has(`${section} ${text}`))
      .map(({ text }) => text);
    const text =
      away.length === 0
        ? `Lines of ${config.path} stand there twice.`
        : `Not in ${config.path}: ${listed(away.slice(0, 4))}${away.length > 4 ? ' and more' : ''}.`;
    return {
      verdict: 'to-do',
      text,
      findings: [{ severity: 'warns', text, todo: `Put it into ${config.path}, and reboot.` }],
    };
  },
  change: { kind: 'boot-lines' },
  byHand: 'sudo nano /boot/firmware/config.txt, then sudo reboot',
  last: false,
  minutes: 0.1,
};
