import { listed } from '../../listed';
import { said, unknown, well, type Answers, type BoardFinding, type Step } from '../model';
import { jobScript } from '../job';
import { aptOptions, packageManager } from '../package-manager';
import { readUpgrades } from '../readers';

/** Seconds for which package lists count as fresh. */
const FRESH = 6 * 3600;
/** Where a board notes when its lists were fetched whole. */
const FETCHED = '/var/lib/nest-mark/lists-fetched';

/**
 * Packages that are neither installed nor removed (dpkg-query(1), db:Status-Abbrev). dpkg's own audit also tells of
 * missing sums, which nothing mends.
 */
const HALF = `dpkg-query -W -f '\${db:Status-Abbrev} \${Package}\\n' | awk 'substr($0, 2, 1) !~ /[inc]/ { print $NF }'`;

/**
 * The work: half-done packages first, because nothing can be installed before; then lists, download, installation. What
 * another program holds is waited for. A file of settings that both sides changed stays as it is.
 */
const work = `half() { ${HALF}; }
${packageManager}phase install
dpkg --configure -a --force-confdef --force-confold
if [ -n "$(half)" ]; then
    fetch -y -q -f ${aptOptions} install 3>>"$d/status"
fi
phase lists
lists || end "$?"
date +%s >${FETCHED}.new && mv -f ${FETCHED}.new ${FETCHED}
apt-get -s -q upgrade >"$d/upgrades"
apt-get --print-uris -qq -y upgrade 2>/dev/null | awk '{ sum += $3 } END { printf "%d\\n", sum }' >"$d/octets"
phase download
try=0
waits=0
until
    mark
    fetch -y -q -d ${aptOptions} upgrade 3>>"$d/status"
do
    code=$?
    if passing && [ "$waits" -lt 200 ]; then
        waits=$((waits + 1))
        sleep 3
        continue
    fi
    try=$((try + 1))
    [ "$try" -lt 3 ] || end "$code"
    # A list that was older than its files: fetched anew, once more tried.
    phase lists
    lists || end "$?"
    phase download
done
phase install
apt-get -y -q ${aptOptions} upgrade 3>>"$d/status" || end "$?"
phase clean
apt-get clean`;

const leftWork = `phase clean
apt-get -y -q ${aptOptions} autoremove 3>>"$d/status" || end "$?"
apt-get clean`;

/** Settings that a person and a package both changed: dpkg left the person's, and the package's beside (dpkg(1), --force-confold). */
const KEPT = `find /etc -xdev -name '*.dpkg-dist' 2>/dev/null | head -n 20; true`;

function keptSettings(answers: Answers): BoardFinding[] {
  const files = (said(answers, 'kept') ?? '')
    .split('\n')
    .flatMap((line) => /^(\/etc\/.*)\.dpkg-dist$/.exec(line.trim())?.[1] ?? []);
  if (files.length === 0) return [];
  return [
    {
      severity: 'note',
      text: `Settings that were changed on the board were left as they are: ${listed(files.slice(0, 4))}${files.length > 4 ? ' and more' : ''}.`,
      todo: 'What the packages bring lies beside them, as .dpkg-dist: compare, and delete it.',
    },
  ];
}

/** All packages are as new as their repositories have them. */
export const updates: Step = {
  id: 'updates',
  title: 'Updates',
  why: 'An image is as old as the day it was made; what was mended since is what attackers know.',
  source: 'apt-get(8), dpkg(1), apt.conf(5); apt’s documentation, "progress-reporting"',
  questions: () => [
    { id: 'manager', command: 'command -v apt-get', root: false },
    { id: 'half', command: HALF, root: false },
    { id: 'upgrades', command: 'apt-get -s -q upgrade', root: false },
    { id: 'kept', command: KEPT, root: false },
    { id: 'fetched', command: `echo $(($(date +%s) - $(cat ${FETCHED})))`, root: false },
  ],
  judge({ answers }) {
    if (answers.get('manager')?.code === null) return unknown('The board did not answer.');
    if (said(answers, 'manager') === null)
      return unknown('The board has another package manager than is known here. Update it by hand.');
    const half = (said(answers, 'half') ?? '').split('\n').filter((name) => name !== '');
    if (half.length > 0) {
      const text = `Half installed: ${listed(half.slice(0, 4))}${half.length > 4 ? ' and more' : ''}.`;
      return {
        verdict: 'to-do',
        text,
        findings: [
          { severity: 'stops', text, todo: 'sudo dpkg --configure -a, then sudo apt-get -f install' },
        ],
      };
    }
    const age = Number(said(answers, 'fetched') ?? NaN);
    const upgrades = readUpgrades(said(answers, 'upgrades') ?? '');
    if (!Number.isFinite(age) || age < 0 || age > FRESH)
      return { verdict: 'to-do', text: 'The lists of packages are to be fetched.', findings: [] };
    if (upgrades.length > 0)
      return {
        verdict: 'to-do',
        text: `${String(upgrades.length)} ${upgrades.length === 1 ? 'package is' : 'packages are'} to be upgraded.`,
        findings: [
          {
            severity: 'warns',
            text: `Not upgraded: ${listed(upgrades.slice(0, 4).map(({ name }) => name))}${upgrades.length > 4 ? ' and more' : ''}.`,
            todo: 'sudo apt-get upgrade',
          },
        ],
      };
    return answers.get('upgrades')?.code === 0
      ? well('All packages are as new as their repositories have them.', keptSettings(answers))
      : unknown('The board’s package manager did not answer.');
  },
  change: { kind: 'job', script: jobScript(work), seconds: 5400, fetches: true },
  byHand: 'sudo apt-get update && sudo apt-get upgrade',
  last: false,
  minutes: 8,
};

/** Packages that nothing needs any more. */
export const leftovers: Step = {
  id: 'leftovers',
  title: 'Leftovers removed',
  why: 'Old kernels and libraries that nothing needs fill a small card.',
  source: 'apt-get(8), autoremove',
  questions: () => [{ id: 'left', command: 'apt-get -s -q autoremove', root: false }],
  judge({ answers }) {
    const text = said(answers, 'left');
    if (text === null) return unknown('The board’s package manager did not answer.');
    const names = text.split('\n').flatMap((line) => /^Remv (\S+)/.exec(line)?.[1] ?? []);
    if (names.length === 0) return well('Nothing is left over.');
    return {
      verdict: 'to-do',
      text: `${String(names.length)} ${names.length === 1 ? 'package is' : 'packages are'} needed by nothing: ${listed(names.slice(0, 4))}${names.length > 4 ? ' and more' : ''}.`,
      findings: [
        {
          severity: 'warns',
          text: `Left over: ${listed(names.slice(0, 4))}.`,
          todo: 'sudo apt-get autoremove',
        },
      ],
    };
  },
  change: { kind: 'job', script: jobScript(leftWork), seconds: 1800, fetches: false },
  byHand: 'sudo apt-get autoremove',
  last: false,
  minutes: 0.5,
};
