import { guide } from '../guide/guide';
import type { Document, Section } from '../handover/record/document';
import type { HandoverDevice } from '../handover/device';
import { networkTitle } from '../wifi/network';
import { batteryCautions } from './battery';
import { lifeOf, roomOf, type FieldFacts } from './facts';
import { beforeYouLeave, onSite } from './lists';
import type { TripCheck, TripCheckId } from './model';

/** A device as the pages for the way show it. */
export type PackedDevice = HandoverDevice & { id: string };

const listOf = (title: string, checks: readonly TripCheck[]): Section => ({
  level: 1,
  title,
  parts: [
    {
      kind: 'table',
      columns: ['', 'What', 'Why'],
      rows: checks.map(({ text, why, done }) => [done ? '☑' : '☐', text, why]),
    },
  ],
});

const hours = (value: number): string =>
  Number.isFinite(value) ? `${value >= 10 ? String(Math.floor(value)) : value.toFixed(1)} h` : 'for ever';

/**
 * The page that is read on the way: the network, who goes, both lists, and the guide. Nothing in it is a secret, and
 * nothing is fetched.
 * @param files what lies beside it, with what each is for
 */
export function tripPages(
  facts: FieldFacts,
  devices: readonly PackedDevice[],
  ticked: ReadonlySet<TripCheckId>,
  files: readonly (readonly [string, string])[],
): Document {
  const { plan, batch, network, boards, rehearsal } = facts;
  const room = roomOf(network);
  const byId = new Map(devices.map((device) => [device.id, device]));
  return {
    title: `${batch.name} in the field`,
    about:
      'Everything that is needed where there is no internet. Keys and passwords are only in the files that are encrypted.',
    sections: [
      { level: 1, title: 'Files', parts: [{ kind: 'facts', facts: files }] },
      {
        level: 1,
        title: 'The network there',
        parts: [
          {
            kind: 'facts',
            facts: [
              ['Name', network ? networkTitle(network) : 'not chosen'],
              ['Addresses', network?.subnet ?? ''],
              ['Room', room === null ? 'not known' : `${String(room)} boards beside this computer`],
              ['Day', plan.day === '' ? 'not fixed' : plan.day],
              ['Rehearsal', `${rehearsal.standing}. ${rehearsal.why}`.trim()],
            ],
          },
        ],
      },
      {
        level: 1,
        title: 'Boards',
        parts: [
          {
            kind: 'table',
            columns: [
              'Device',
              'Mark',
              'Role',
              'User',
              'Address there',
              'Host key',
              'On its battery',
              'Visit',
            ],
            rows: boards.map((board) => {
              const { id, hostName, mark, role } = board.device;
              const packed = byId.get(id);
              const life = lifeOf(facts, board);
              return [
                hostName,
                mark,
                role,
                packed?.userName ?? '',
                packed?.address ?? '',
                packed?.hostKeyFingerprint ?? '',
                life ? hours(life.kept) : '',
                '',
              ];
            }),
          },
        ],
      },
      listOf('Before you leave', beforeYouLeave(facts, ticked)),
      listOf('On site', onSite(facts, ticked)),
      ...(plan.battery
        ? [
            {
              level: 1 as const,
              title: 'Batteries',
              parts: batteryCautions(plan.battery).map((text) => ({ kind: 'text' as const, text })),
            },
          ]
        : []),
      ...guide.map((part): Section => ({
        level: 1,
        title: `Guide: ${part.title}`,
        parts: part.steps.map((step) => ({
          kind: 'text',
          text: step.why === undefined ? step.do : `${step.do} ${step.why}`,
        })),
      })),
    ],
  };
}
