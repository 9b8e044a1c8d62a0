import { counted } from '../listed';
import { networkTitle } from '../wifi/network';
import { lifeOf, type FieldFacts } from './facts';
import type { TripCheckId, TripCheck } from './model';

interface Draft {
  id: TripCheckId;
  text: string;
  why?: string;
  /** What the bench itself knows of it; a hand ticks it where this is left out. */
  known?: boolean;
}

const withTicks = (drafts: readonly Draft[], ticked: ReadonlySet<TripCheckId>): TripCheck[] =>
  drafts.map(({ id, text, why = '', known }) => ({
    id,
    text,
    why,
    by: known === undefined ? 'hand' : 'bench',
    done: known ?? ticked.has(id),
  }));

/** What to look at before leaving; each is done, or ticked by hand. */
export function beforeYouLeave(facts: FieldFacts, ticked: ReadonlySet<TripCheckId>): TripCheck[] {
  const { plan, boards, network, rehearsal, bundleAt, bundleCurrent } = facts;
  const unwritten = boards.filter(({ written }) => !written).length;
  const { battery } = plan;
  const drafts: Draft[] = [
    {
      id: 'written',
      text: 'Every board’s card is written and verified',
      known: boards.length > 0 && unwritten === 0,
      why: unwritten === 0 ? '' : `${counted(unwritten, 'card')} to go.`,
    },
    {
      id: 'rehearsed',
      text: 'Rehearsed at home over the network that serves there',
      known: rehearsal.standing === 'passed',
      why: rehearsal.why,
    },
    ...(battery
      ? [
          {
            id: 'battery',
            text: `The batteries last ${String(battery.hours)} hours, with the margin kept back`,
            known: boards.every((board) => (lifeOf(facts, board)?.needed ?? 2) <= 1),
          } as const,
          {
            id: 'charged',
            text: `${counted(boards.length, 'battery', 'batteries')} and the laptop charged, and their chargers packed`,
            why: 'Charged above freezing, and looked at: none swollen, none damaged.',
          } as const,
        ]
      : [{ id: 'charged', text: 'The laptop charged, and its charger packed' } as const]),
    {
      id: 'bundle',
      text: 'The bundle for the way is on the laptop',
      known: bundleAt !== null && bundleCurrent,
      why:
        bundleAt === null
          ? 'There is no internet on the marsh: everything of the batch goes along in one file.'
          : bundleCurrent
            ? ''
            : 'The plan was changed since it was taken.',
    },
    {
      id: 'phone',
      text: `The phone that gives ${network ? `“${networkTitle(network)}”` : 'the hotspot'} is charged, and its hotspot stays on without a client`,
      why: 'Many phones switch a hotspot off after some minutes with nobody on it (common practice).',
    },
    ...(plan.spareCards > 0
      ? [
          {
            id: 'spares',
            text: `${counted(plan.spareCards, 'spare card')} and a card reader packed`,
            why: 'A card can be written on site from this laptop, with the image on its shelf.',
          } as const,
        ]
      : []),
    { id: 'labels', text: 'Every board and its card carries its label', why: 'Nests stay at home.' },
    {
      id: 'cables',
      text: 'Packed: leads and supplies, the adapters for a screen, a keyboard, tape',
      why: 'The kit of the plan has the rest.',
    },
    { id: 'power-off', text: 'Every board shut down properly, and only then taken off its power' },
    {
      id: 'allowed',
      text: 'The owner of the ground knows, and radio and power there follow the local rules',
    },
    { id: 'somebody', text: 'Somebody at home knows where you go and when you are back' },
  ];
  return withTicks(drafts, ticked);
}

/** What to do on site, in its order. */
export function onSite(facts: FieldFacts, ticked: ReadonlySet<TripCheckId>): TripCheck[] {
  const { network, boards, provedOnSite, visited } = facts;
  const title = network ? `“${networkTitle(network)}”` : 'The hotspot';
  return withTicks(
    [
      { id: 'hotspot-on', text: `${title} on, and kept awake, before any board gets power` },
      { id: 'laptop-on', text: 'This laptop on it, and on nothing else' },
      {
        id: 'one-first',
        text: 'One board powered, and proved, before the others',
        why: 'What is wrong with all of them shows on the first.',
      },
      { id: 'all-on', text: 'The others powered, one after the other' },
      {
        id: 'proved',
        text: 'Every board proved',
        why: `${String(provedOnSite)} of ${String(boards.length)}.`,
        known: boards.length > 0 && provedOnSite >= boards.length,
      },
      {
        id: 'visits',
        text: 'Every board has its visit written down',
        why: `${String(visited)} of ${String(boards.length)}.`,
        known: boards.length > 0 && visited >= boards.length,
      },
      { id: 'closed', text: 'Housings closed, leads strained off, nothing of ours left lying' },
    ],
    ticked,
  );
}
