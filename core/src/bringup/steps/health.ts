import { listed } from '../../listed';
import { decimalSize } from '../../units';
import { isWeakSignal, shownLevel } from '../../wifi/signal';
import { judgedBy, said, unknown, type BoardFinding, type Step } from '../model';
import { readMemory, readRate, readSpace, readTemperature, readUnits } from '../readers';

/** Degrees at which boards begin to slow down (common practice: 80 °C), and what is warm for one that does nothing. */
const HOT = 80;
const WARM = 70;
/** Free space below which the next upgrade may fail (common practice: 200 MB and what it downloads). */
const LEAST_SPACE = 500e6;
const LEAST_MEMORY = 48e6;
/** Decimal megabytes a second below which a card is slow for a system (class 10 is 10 MB/s, SD Association). */
const SLOW_CARD = 10;

/** Whether the board is well. */
export const health: Step = {
  id: 'health',
  title: 'Health',
  why: 'A weak supply, a card that turned read-only, a service that failed: each shows in the first minutes to whoever asks, and in the field to whoever drives there.',
  source:
    'journalctl(1); kernel documentation, hwmon and thermal; proc_meminfo(5); df(1); systemctl(1); findmnt(8); iw(8); dd(1)',
  questions: () => [
    {
      id: 'power',
      command: `journalctl -k -b -o cat --no-pager -g 'under-?voltage|throttl|over-?current' | tail -n 5`,
      root: true,
    },
    { id: 'heat', command: 'cat /sys/class/thermal/thermal_zone*/temp', root: false },
    { id: 'memory', command: 'cat /proc/meminfo', root: false },
    { id: 'space', command: 'df -kP /', root: false },
    { id: 'inodes', command: 'df -iP /', root: false },
    { id: 'units', command: 'systemctl list-units --failed --plain --no-legend --no-pager', root: false },
    { id: 'mount', command: 'findmnt -no OPTIONS /', root: false },
    // The options may still say rw when the kernel has given up writing: only a try tells.
    { id: 'write', command: 't=$(mktemp /var/tmp/nest-mark.XXXXXX) && rm -f "$t"', root: true },
    {
      id: 'radio',
      command: `for d in /sys/class/net/*/wireless; do [ -d "$d" ] || continue; d=\${d%/wireless}; iw dev "\${d##*/}" link; done; true`,
      root: false,
    },
    {
      id: 'card',
      command: `d=/dev/$(lsblk -ndo PKNAME "$(findmnt -no SOURCE /)") && dd if="$d" of=/dev/null bs=1M count=16 iflag=direct`,
      root: true,
    },
  ],
  judge({ answers }) {
    if (said(answers, 'memory') === null && said(answers, 'space') === null)
      return unknown('The board told neither of its memory nor of its space.');
    const findings: BoardFinding[] = [];
    const add = (severity: BoardFinding['severity'], text: string, todo: string): void => {
      findings.push({ severity, text, todo });
    };
    const power = said(answers, 'power');
    if (power !== null && /voltage|throttl|current/i.test(power))
      add(
        'warns',
        `The kernel complains of its power: ${power.split('\n').at(-1)?.trim().slice(0, 120) ?? ''}`,
        'Another supply or a shorter, thicker cable; never power it from a port that gives less than the board asks for.',
      );
    const heat = readTemperature(answers.get('heat')?.text ?? '');
    if (heat !== null && heat >= HOT)
      add('warns', `It is ${heat.toFixed(0)} °C hot and slows down.`, 'Let air to it, or give it a cooler.');
    else if (heat !== null && heat >= WARM)
      add(
        'note',
        `It is ${heat.toFixed(0)} °C warm while it does little.`,
        'In its housing it will be warmer.',
      );
    const memory = said(answers, 'memory');
    const left = memory === null ? null : readMemory(memory, 'MemAvailable');
    if (left !== null && left < LEAST_MEMORY)
      add(
        'warns',
        `Only ${decimalSize(left)} of memory are left.`,
        'Look what takes it: ps aux --sort -rss | head',
      );
    const space = readSpace(said(answers, 'space') ?? '');
    if (space && space.free < LEAST_SPACE)
      add(
        'warns',
        `Only ${decimalSize(Math.max(0, space.free))} of ${decimalSize(space.size)} are free on the root.`,
        'sudo apt-get clean, or a larger card.',
      );
    const inodes = readSpace(said(answers, 'inodes') ?? '');
    if (inodes && inodes.size > 0 && inodes.free < inodes.size * 0.05)
      add(
        'warns',
        'Nearly no more files can be made on the root (inodes).',
        'Remove small files, or make the file system anew.',
      );
    const units = readUnits(said(answers, 'units') ?? '');
    if (units.length > 0)
      add(
        'warns',
        `${units.length === 1 ? 'A service' : `${String(units.length)} services`} failed: ${listed(units.slice(0, 4))}.`,
        `systemctl status ${units[0] ?? ''}`,
      );
    const options = said(answers, 'mount');
    const written = answers.get('write');
    if (options !== null && /(^|,)ro(,|$)/.test(options))
      add(
        'stops',
        'Its root is mounted read-only.',
        'The card may be dying: look at dmesg, and write another one.',
      );
    else if (written && written.code !== null && written.code !== 0 && /read-only/i.test(written.text))
      add(
        'stops',
        'Its root refuses to be written.',
        'The card may be dying: look at dmesg, and write another one.',
      );
    const radio = said(answers, 'radio') ?? '';
    const signal = Number(/signal: (-?\d+) dBm/.exec(radio)?.[1] ?? NaN);
    if (Number.isFinite(signal) && isWeakSignal(signal))
      add(
        'warns',
        `Its Wi-Fi is weak: ${shownLevel(signal)}.`,
        'Nearer to the access point, or another antenna.',
      );
    const rate = readRate(answers.get('card')?.text ?? '');
    if (rate !== null && rate < SLOW_CARD)
      add(
        'warns',
        `Its card reads only ${rate.toFixed(1)} MB/s.`,
        'A better card: everything on it will be slow.',
      );
    const told = [
      heat === null ? '' : `${heat.toFixed(0)} °C`,
      space ? `${decimalSize(space.free)} free` : '',
      rate === null ? '' : `card ${rate.toFixed(0)} MB/s`,
      Number.isFinite(signal) ? `Wi-Fi ${shownLevel(signal)}` : '',
    ].filter((part) => part !== '');
    return judgedBy(findings, told.length > 0 ? `Well: ${told.join(', ')}.` : 'Nothing is wrong with it.');
  },
  change: null,
  byHand: '',
  last: false,
  minutes: 0,
};
