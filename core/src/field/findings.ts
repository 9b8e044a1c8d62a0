import { counted } from '../listed';
import { deaf } from '../move/ways';
import type { MoveFinding } from '../move/model';
import { overlap, subnetFault } from '../net/subnet';
import type { Plan } from '../plan/model';
import { networkTitle } from '../wifi/network';
import { lifeOf, roomOf, type FieldFacts } from './facts';

const boardsOf = (count: number): string => counted(count, 'board');
const hours = (value: number): string => (value >= 10 ? String(Math.floor(value)) : value.toFixed(1));

/** What of a trip's network is wrong, or worth knowing before anybody leaves; what stops a rehearsal comes first. */
function ofNetwork(
  facts: FieldFacts,
  add: (text: string, todo: string, more?: Partial<MoveFinding>) => void,
): void {
  const { network, batch, boards } = facts;
  const stops = { stops: true };
  if (!network) {
    add(
      'The network that serves in the field is not chosen.',
      'Choose it; a phone’s hotspot is put onto the shelf under Networks like any other.',
      stops,
    );
    return;
  }
  const title = `“${networkTitle(network)}”`;
  if (subnetFault(network.subnet) !== null)
    add(
      `The addresses of ${title} are not known, so nobody can be looked for there.`,
      'Give its subnet under Networks: this computer’s own address tells it, once it is on the hotspot.',
      stops,
    );
  // Boards that know no other network can be on no other.
  else if (
    overlap(network.subnet, batch.network.subnet) &&
    batch.networks.some(({ networkId }) => networkId !== network.id)
  )
    add(
      `${title} shares addresses with the network of the bench (${network.subnet} and ${batch.network.subnet}), so an address does not tell on which of them a board is.`,
      'Give the bench’s router another range; a phone rarely lets you choose its own.',
      stops,
    );
  if (network.security !== 'open' && (network.secret.state === 'missing' || network.secret.faults.length > 0))
    add(`The key of ${title} is missing or cannot be right.`, 'Type it in under Networks.');
  const room = roomOf(network);
  if (room !== null && room < boards.length)
    add(
      `${title} has room for ${boardsOf(room)} beside this computer, and ${String(boards.length)} go.`,
      'Take a hotspot with more room, or a second one; or let fewer boards go.',
    );
  if (network.isolation)
    add(
      `${title} keeps its clients apart: this computer cannot reach a board there.`,
      'Look in the phone for a setting that lets clients talk to each other, or take another one.',
    );
  const unable = boards.filter(({ profile }) => profile !== null && deaf(profile, network) !== '');
  if (unable.length > 0)
    add(
      `${boardsOf(unable.length)} cannot join ${title}: ${unable[0]?.profile ? deaf(unable[0].profile, network) : ''}.`,
      'Set the hotspot to the band that all of them hear (2.4 GHz, common practice).',
    );
  if (!batch.networks.some(({ networkId }) => networkId === network.id))
    add(
      `The plan of the batch does not have ${title}: cards that are written from now on would not join it.`,
      'Add it. Boards whose cards are written already get it under Move, over the network where they are now.',
      { fix: 'into-plan' },
    );
}

/** What is wrong with a trip, or worth knowing before anybody leaves; what stops a rehearsal comes first. */
export function fieldFindings(facts: FieldFacts): MoveFinding[] {
  const findings: MoveFinding[] = [];
  const add = (text: string, todo: string, more: Partial<MoveFinding> = {}): void => {
    findings.push({ text, todo, stops: false, fix: null, ...more });
  };
  const { plan, boards } = facts;
  if (boards.length === 0) add('No board goes.', 'Choose devices of the batch.', { stops: true });
  ofNetwork(facts, add);
  if (plan.battery) {
    const lives = boards.map((board) => lifeOf(facts, board));
    const known = lives.flatMap((life) => (life ? [life] : []));
    const short = known.filter(({ needed }) => needed > 1);
    const worst = short.reduce((least, { kept }) => Math.min(least, kept), Infinity);
    if (short.length > 0)
      add(
        `${boardsOf(short.length)} of ${String(boards.length)} ${short.length === 1 ? 'does' : 'do'} not last ${String(plan.battery.hours)} hours on one battery: with the margin kept back it is ${hours(worst)} hours.`,
        `Take ${String(Math.max(...short.map(({ needed }) => needed)))} batteries for each, a larger one, or let them sleep.`,
      );
    if (known.length < lives.length)
      add(
        `Nobody has measured what ${boardsOf(lives.length - known.length)} ${lives.length - known.length === 1 ? 'draws' : 'draw'}.`,
        'Measure one with a meter in its lead, and write it down under Boards.',
      );
  }
  return findings.sort((a, b) => Number(b.stops) - Number(a.stops));
}

/** A batch's plan with a network beside those that it has, below them: boards at home stay at home. */
export function besideOthers(batch: Plan, networkId: string): Plan {
  if (batch.networks.some((join) => join.networkId === networkId)) return batch;
  const lowest = Math.min(...batch.networks.map(({ priority }) => priority), 10);
  return { ...batch, networks: [...batch.networks, { networkId, priority: Math.max(0, lowest - 1) }] };
}
