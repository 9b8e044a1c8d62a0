import { listed } from '../../listed';
import { settingWords, type ShelfNames } from '../../plan/setting-words';
import type { Device, Plan } from '../../plan/model';
import type { Walked } from '../../signal/verdict';
import { moment, type Document, type Part, type Section } from './document';
import { walkSections } from './walk-sections';

/** What the record says of one device beside its plan. */
export interface DeviceHistory {
  /** In words, as everywhere. */
  state: string;
  address: string;
  hardwareAddress: string;
  hostKeyFingerprint: string;
  takenOver: { by: string; at: number } | null;
  secretsForgottenAt: number | null;
  cards: readonly {
    model: string;
    key: string | null;
    round: number;
    state: string;
    at: number;
    message: string;
    imageTitle: string;
    imageSha256: string | null;
  }[];
  sightings: readonly { address: string; hardwareAddress: string | null; keyProven: boolean; at: number }[];
  broughtUp: readonly {
    at: number;
    state: string;
    message: string;
    steps: readonly {
      title: string;
      state: string;
      text: string;
      findings: readonly { text: string }[];
    }[];
  }[];
  exposure: { at: number; by: string; findings: readonly { severity: string; text: string }[] } | null;
}

export interface RecordImage {
  title: string;
  sha256: string | null;
  /** When it was put onto the shelf. */
  addedAt: number;
  /** What its own octets tell of its age; empty where they do not. */
  age: string;
  method: string;
}

export interface RecordLine {
  at: number;
  /** As the log has it. */
  kind: string;
  text: string;
}

/** Kinds of lines by which a person let something pass: a step left out, what a card holds or is overruled. */
const letPass: ReadonlySet<string> = new Set(['step-skipped', 'overruled']);

/** Everything that a record is made of. */
export interface RecordFacts {
  plan: Plan;
  names: ShelfNames;
  images: readonly RecordImage[];
  histories: ReadonlyMap<string, DeviceHistory>;
  /** How strongly networks are heard where the boards will be. */
  walk: readonly Walked[];
  /** Who did what when, the oldest first. */
  log: readonly (RecordLine & { deviceId: string | null })[];
  madeAt: number;
  madeBy: string;
}

/** Settings are named within sentences elsewhere. */
const headed = (title: string): string => title.charAt(0).toUpperCase() + title.slice(1);

const facts = (...pairs: readonly (readonly [string, string])[]): Part => ({
  kind: 'facts',
  facts: pairs.filter(([, value]) => value !== ''),
});

function planSection({ plan, names, images }: RecordFacts): Section[] {
  const common = settingWords(plan, { overrides: {} }, names).map(
    ({ title, value }) => [headed(title), value] as const,
  );
  const roles = [...new Set(plan.devices.map(({ role }) => role.trim()).filter((role) => role !== ''))];
  return [
    {
      level: 1,
      title: 'Plan',
      parts: [
        facts(
          ['Batch', plan.name],
          ['Site', plan.site],
          ['Devices', String(plan.devices.length)],
          ['Roles', listed(roles)],
          ...common,
        ),
      ],
    },
    {
      level: 1,
      title: 'Images',
      parts: [
        {
          kind: 'table',
          columns: ['Image', 'SHA-256', 'On the shelf since', 'Age', 'First-boot method'],
          rows: images.map(({ title, sha256, addedAt, age, method }) => [
            title,
            sha256 ?? 'not on record',
            moment(addedAt),
            age,
            method,
          ]),
        },
      ],
    },
  ];
}

const tableOf = (columns: readonly string[], rows: readonly (readonly string[])[]): Part[] =>
  rows.length === 0 ? [] : [{ kind: 'table', columns, rows }];

/** One device, whole. */
function deviceSections(device: Device, history: DeviceHistory | undefined, facts_: RecordFacts): Section[] {
  const { plan, names, log } = facts_;
  const own = settingWords(plan, device, names).filter((setting) => setting.own);
  const lines = log.filter(({ deviceId }) => deviceId === device.id);
  const taken = history?.takenOver;
  const exposure = history?.exposure ?? null;
  const parts: Part[] = [
    facts(
      ['Mark', device.mark],
      ['Nest', device.nest],
      ['Role', device.role],
      ['State', history?.state ?? 'planned'],
      ['Address', history?.address ?? ''],
      ['Hardware address', history?.hardwareAddress ?? ''],
      ['Host key', history?.hostKeyFingerprint ?? ''],
      ['Taken over', taken ? `by ${taken.by}, ${moment(taken.at)}` : ''],
      [
        'Secrets',
        history?.secretsForgottenAt == null
          ? ''
          : `forgotten by the bench, ${moment(history.secretsForgottenAt)}`,
      ],
      ['Notes', device.notes],
      ...own.map(
        ({ title, value, batch }) =>
          [`${headed(title)} (its own)`, `${value}; the batch has ${batch}`] as const,
      ),
    ),
    ...tableOf(
      ['Card', 'Round', 'What became of it', 'When', 'Image', 'SHA-256'],
      (history?.cards ?? []).map(({ model, key, round, state, at, message, imageTitle, imageSha256 }) => [
        [model, key ?? ''].filter((word) => word !== '').join(' '),
        String(round),
        message === '' ? state : `${state}: ${message}`,
        moment(at),
        imageTitle,
        imageSha256 ?? '',
      ]),
    ),
    ...tableOf(
      ['Seen at', 'Hardware address', 'By', 'When'],
      (history?.sightings ?? []).map(({ address, hardwareAddress, keyProven, at }) => [
        address,
        hardwareAddress ?? '',
        keyProven ? 'its key signed' : 'its key was only shown, which is no proof',
        moment(at),
      ]),
    ),
    ...(history?.broughtUp ?? []).flatMap(({ at, state, message, steps }): Part[] => [
      { kind: 'text', text: `Brought up ${moment(at)}: ${message === '' ? state : `${state}, ${message}`}` },
      ...tableOf(
        ['Step', 'State', 'What it found'],
        steps.map(({ title, state: how, text, findings }) => [
          title,
          how,
          [text, ...findings.map((finding) => finding.text).filter((one) => one !== text)].join(' '),
        ]),
      ),
    ]),
    ...(exposure
      ? [
          {
            kind: 'text' as const,
            text: `Looked at from the network ${moment(exposure.at)} by ${exposure.by}: ${
              exposure.findings.length === 0
                ? 'nothing was open that should not be.'
                : exposure.findings.map(({ severity, text }) => `(${severity}) ${text}`).join(' ')
            }`,
          },
        ]
      : []),
    ...tableOf(
      ['When', 'What happened'],
      lines.map(({ at, text }) => [moment(at), text]),
    ),
  ];
  return [{ level: 2, title: `${device.hostName} · ${device.mark}`, parts }];
}

/** What was otherwise than planned, or was let pass by a person; these have to be found a year later. */
function outOfTheOrdinary({ plan, histories, log }: RecordFacts): Part[] {
  const rows: string[][] = [];
  for (const device of plan.devices) {
    const history = histories.get(device.id);
    for (const card of history?.cards ?? [])
      if (card.state !== 'verified')
        rows.push([device.hostName, `card of round ${String(card.round)}: ${card.state}. ${card.message}`]);
    for (const time of history?.broughtUp ?? [])
      for (const step of time.steps)
        if (!['well', 'done'].includes(step.state))
          rows.push([device.hostName, `${step.title}: ${step.state}. ${step.text}`]);
    for (const finding of history?.exposure?.findings ?? [])
      if (finding.severity !== 'note') rows.push([device.hostName, finding.text]);
  }
  const names = new Map(plan.devices.map(({ id, hostName }) => [id, hostName]));
  for (const { kind, text, deviceId } of log)
    if (letPass.has(kind)) rows.push([deviceId === null ? 'the batch' : (names.get(deviceId) ?? ''), text]);
  return rows.length === 0
    ? [
        {
          kind: 'text',
          text: 'Nothing: every card was verified, and nothing differs from the plan as far as it was asked.',
        },
      ]
    : [{ kind: 'table', columns: ['Device', 'What'], rows }];
}

/**
 * The record of a batch, or of one device of it: what was planned, written, seen, brought up, found open, handed over, and
 * who did what when. Nothing in it is a secret.
 * @param only the id of the one device; null for all
 */
export function batchRecord(given: RecordFacts, only: string | null): Document {
  const { plan, histories, log, madeAt, madeBy } = given;
  const devices = plan.devices.filter(({ id }) => only === null || id === only);
  const [device] = devices;
  const of = only !== null && device ? `${device.hostName} of ${plan.name}` : plan.name;
  const chosen = new Set(devices.map(({ id }) => id));
  // Of one device nothing is told that is another's, nor what was done to the batch as a whole.
  const within = {
    ...given,
    plan: { ...plan, devices },
    log: only === null ? log : log.filter(({ deviceId }) => deviceId !== null && chosen.has(deviceId)),
  };
  return {
    title: `Record of ${of}`,
    about: `Made ${moment(madeAt)} by ${madeBy}. Times are by the clock of the database.`,
    sections: [
      ...planSection(only === null ? given : within),
      ...(only === null
        ? [
            {
              level: 1 as const,
              title: 'Devices',
              parts: [
                {
                  kind: 'table' as const,
                  columns: [
                    'Nest',
                    'Mark',
                    'Name',
                    'Role',
                    'State',
                    'Address',
                    'Hardware address',
                    'Taken over by',
                  ],
                  rows: devices.map(({ id, nest, mark, hostName, role }) => {
                    const history = histories.get(id);
                    return [
                      nest,
                      mark,
                      hostName,
                      role,
                      history?.state ?? 'planned',
                      history?.address ?? '',
                      history?.hardwareAddress ?? '',
                      history?.takenOver?.by ?? '',
                    ];
                  }),
                },
              ],
            },
          ]
        : []),
      ...(only === null ? walkSections(given.walk, plan.devices.length) : []),
      { level: 1, title: 'Otherwise than planned, or let pass', parts: outOfTheOrdinary(within) },
      ...(only === null
        ? [
            {
              level: 1 as const,
              title: 'Who did what when',
              parts: tableOf(
                ['When', 'What happened'],
                log.filter(({ deviceId }) => deviceId === null).map(({ at, text }) => [moment(at), text]),
              ),
            },
          ]
        : []),
      { level: 1, title: only === null ? 'Device by device' : 'The device', parts: [] },
      ...devices.flatMap((one) => deviceSections(one, histories.get(one.id), given)),
    ],
  };
}

/** Middle of some numbers; null of none. */
function median(numbers: readonly number[]): number | null {
  const sorted = [...numbers].sort((a, b) => a - b);
  return sorted.length === 0 ? null : (sorted[Math.floor((sorted.length - 1) / 2)] ?? null);
}

/** What can be set side by side of one batch. */
function figures({ plan, names, images, histories }: RecordFacts): [string, string][] {
  const all = [...histories.values()];
  const count = (test: (history: DeviceHistory) => boolean): string => String(all.filter(test).length);
  const tries = all.map(({ cards }) => cards.length).filter((cards) => cards > 0);
  const proofs = all.flatMap(({ sightings }) => {
    const proved = sightings.filter(({ keyProven }) => keyProven).map(({ at }) => at);
    return proved.length > 0 ? [Math.min(...proved)] : [];
  });
  const steps = all.flatMap(({ broughtUp }) => broughtUp[0]?.steps ?? []);
  const span = proofs.length > 1 ? Math.max(...proofs) - Math.min(...proofs) : null;
  return [
    ['Devices', String(plan.devices.length)],
    ...settingWords(plan, { overrides: {} }, names).map(({ title, value }): [string, string] => [
      headed(title),
      value,
    ]),
    [
      'Images by digest',
      listed(images.map(({ title, sha256 }) => `${title} (${(sha256 ?? 'no digest').slice(0, 16)})`)),
    ],
    ['Cards written for a device, in the middle', String(median(tries) ?? '—')],
    [
      'Cards that failed or were broken off',
      String(all.flatMap(({ cards }) => cards).filter(({ state }) => state !== 'verified').length),
    ],
    ['Proved', count(({ sightings }) => sightings.some(({ keyProven }) => keyProven))],
    ['From the first proof to the last', span === null ? '—' : `${String(Math.round(span / 60_000))} min`],
    ['Brought up', count(({ broughtUp }) => broughtUp[0]?.state === 'ready')],
    [
      'Steps that need a look or are left out',
      String(steps.filter(({ state }) => !['well', 'done'].includes(state)).length),
    ],
    [
      'Open and should not be',
      String(
        all.flatMap(({ exposure }) => exposure?.findings ?? []).filter(({ severity }) => severity !== 'note')
          .length,
      ),
    ],
    ['Taken over', count(({ takenOver }) => takenOver !== null)],
  ];
}

/** Two batches side by side; what differs comes first. */
export function compareBatches(one: RecordFacts, other: RecordFacts): Document {
  const left = figures(one);
  const right = new Map(figures(other));
  const rows = left.map(([name, value]) => [name, value, right.get(name) ?? '—'] as const);
  const columns = ['', one.plan.name, other.plan.name];
  const differing = rows.filter(([, a, b]) => a !== b);
  const same = rows.filter(([, a, b]) => a === b);
  return {
    title: `${one.plan.name} and ${other.plan.name}`,
    about: `Compared ${moment(one.madeAt)} by ${one.madeBy}.`,
    sections: [
      {
        level: 1,
        title: 'What differs',
        parts:
          differing.length === 0
            ? [{ kind: 'text', text: 'Nothing.' }]
            : [{ kind: 'table', columns, rows: differing }],
      },
      { level: 1, title: 'What is the same', parts: tableOf(columns, same) },
    ],
  };
}
