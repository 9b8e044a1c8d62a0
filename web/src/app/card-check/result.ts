import { type CardCheck, type CardComparison, type CheckFix, type SlotCheck } from '@nest-mark/core';

/** A finding as the page shows it: from the browser with its fix, or from a slot with a button for it. */
export interface ShownFinding {
  key: string;
  id: string;
  severity: 'stops' | 'warns' | 'note';
  file: string;
  line: number | null;
  where: string;
  message: string;
  why: string;
  advice: string;
  fix: CheckFix | null;
  mendable: boolean;
}

export interface ShownCheck {
  subject: string;
  /** How much is wrong, in a few words; empty when nothing is. */
  verdict: string;
  sentences: string[];
  findings: ShownFinding[];
  more: string;
}

const securities: Record<string, string> = {
  open: 'open',
  wep: 'WEP',
  psk: 'with a passphrase',
  sae: 'WPA3 only',
};

const plural = (count: number, one: string): string => `${String(count)} ${one}${count === 1 ? '' : 's'}`;

/** What the board will be and do, as sentences. */
function sentencesOf({
  acts,
  title,
  reason,
  settings,
  mark,
}: Pick<CardCheck, 'acts' | 'title' | 'reason' | 'settings' | 'mark'>): string[] {
  const { hostName, networks, refusedFile, users, country, loginService, passwordLogin } = settings;
  const list = networks.map(
    ({ ssid, security, hidden }) =>
      `"${ssid}" (${securities[security] ?? security}${hidden ? ', hidden' : ''})`,
  );
  const people = users.map(({ name, keys, password }) => {
    const ways = [
      ...(keys > 0 ? [`by ${plural(keys, 'key')}`] : []),
      ...(password && passwordLogin ? ['by password'] : []),
    ];
    return `${name} ${ways.length > 0 ? ways.join(' and ') : 'cannot log in from afar'}`;
  });
  return [
    ...(mark ? [`Written here as the card of ${mark.hostName}, mark ${mark.mark}, nest ${mark.nest}.`] : []),
    `${acts === 'none' ? 'No first-boot method acts' : title}. ${reason}`,
    hostName === null
      ? 'It sets no host name; the board keeps that of the image.'
      : `The board will be called ${hostName}.`,
    list.length === 0
      ? 'It will look for no Wi-Fi network.'
      : refusedFile === null
        ? `It will look for ${list.join(', then ')}; its radio is set to ${country ?? 'no country'}.`
        : `It will join no Wi-Fi network, because ${refusedFile} is refused as a whole; that names ${list.join(', then ')}.`,
    people.length === 0 ? 'It makes no user.' : `Logging in: ${people.join('; ')}.`,
    ...(loginService === false ? ['The login service stays off.'] : []),
  ];
}

const whereOf = ({ file, line, byte }: { file: string; line: number | null; byte: number | null }): string =>
  [
    file || 'the whole card',
    ...(line === null ? [] : [`line ${String(line)}`]),
    ...(byte === null ? [] : [`byte ${String(byte)}`]),
  ].join(', ');

/** What the plan says now of a card that was written here. */
export function planSentences(plan: CardComparison | null): string[] {
  if (!plan) return [];
  const when =
    plan.writtenAt === null
      ? ''
      : `, written on ${new Date(plan.writtenAt).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })}`;
  return plan.changes.length === 0
    ? [`It belongs to ${plan.batchName}${when}, and is as the plan says now.`]
    : [`It belongs to ${plan.batchName}${when}, but the plan was changed:`, ...plan.changes];
}

function verdictOf(findings: readonly { severity: 'stops' | 'warns' | 'note' }[]): string {
  const count = (severity: string): number => findings.filter((one) => one.severity === severity).length;
  const [stops, warns] = [count('stops'), count('warns')];
  const parts = [
    ...(stops > 0 ? [`${plural(stops, 'thing')} ${stops === 1 ? 'stops' : 'stop'} this board`] : []),
    ...(warns > 0 ? [plural(warns, 'warning')] : []),
  ];
  return parts.join(', ');
}

export function shownCheck(subject: string, check: CardCheck | SlotCheck, more: string): ShownCheck {
  return {
    subject,
    verdict: verdictOf(check.findings),
    sentences: [...sentencesOf(check), ...planSentences('plan' in check ? check.plan : null)],
    findings: check.findings.map((finding, index) => ({
      key: `${finding.id} ${finding.file} ${String(index)}`,
      id: finding.id,
      severity: finding.severity,
      file: finding.file,
      line: finding.line,
      where: whereOf(finding),
      message: finding.message,
      why: finding.why,
      advice: finding.advice,
      fix: 'fix' in finding ? finding.fix : null,
      mendable: 'mendable' in finding && finding.mendable,
    })),
    more,
  };
}
