import { subnetFault, overlap } from '../net/subnet';
import type { Plan } from '../plan/model';
import type { MoveFinding } from './model';
import type { Moving } from './ways';

/**
 * What is wrong with a move as a whole, or worth knowing of it; what stops it comes first.
 * @param takenOff boards that have forgotten the old network
 */
export function moveFindings({ plan, from, to, bridge }: Moving, batch: Plan, takenOff = 0): MoveFinding[] {
  const findings: MoveFinding[] = [];
  const add = (text: string, todo: string, more: Partial<MoveFinding> = {}): void => {
    findings.push({ text, todo, stops: false, fix: null, ...more });
  };
  const stop = (text: string, todo: string): void => add(text, todo, { stops: true });
  if (!from || !to) {
    stop(
      'The networks of the move are not chosen yet.',
      'Choose the old and the new one; the shelf is under Networks.',
    );
    return findings;
  }
  if (from.id === to.id) stop('The old and the new network are the same.', 'Choose another one.');
  if (to.secret.state === 'missing' && to.security !== 'open')
    stop('The key of the new network is not known here.', 'Type it in under Networks.');
  if (to.secret.faults.length > 0)
    stop('The key of the new network cannot be right.', 'Look at what Networks says of it.');
  const unknown = subnetFault(to.subnet) !== null;
  if (unknown)
    add(
      'The addresses of the new network are not known, so nobody can be looked for there.',
      'Give its subnet under Networks; the router or this computer’s own address there tell it.',
      // Who does not reach it now has nobody looked for there now.
      { stops: plan.bench === 'both' },
    );
  else if (from.id !== to.id && overlap(from.subnet, to.subnet))
    add(
      `The old and the new network share addresses (${from.subnet} and ${to.subnet}), so an address does not tell on which of them a board is.`,
      'Let this computer reach one of them at a time, and say so under “This computer reaches”; or give the new router another range.',
    );
  if (batch.vpn.wanted && overlap(batch.vpn.network, to.subnet))
    add('The new network shares addresses with the VPN.', 'Give the VPN another range in the plan.');
  if (plan.oldEnds !== '' && plan.newBegins !== '' && plan.newBegins > plan.oldEnds && !bridge)
    add(
      `Between ${plan.oldEnds} and ${plan.newBegins} there is no network.`,
      'A phone’s hotspot as a bridge keeps the boards in reach.',
    );
  const count = batch.devices.length;
  for (const [which, network] of [
    ['new network', to],
    ['bridge', bridge],
  ] as const)
    // This computer is a client too.
    if (network?.clientLimit != null && network.clientLimit <= count)
      add(
        `The ${which} takes ${String(network.clientLimit)} clients, this computer among them, and there are ${String(count)} boards.`,
        'Take one with more room, or a second hotspot for the rest.',
      );
  if (!batch.networks.some(({ networkId }) => networkId === to.id))
    add(
      'The plan of the batch does not have the new network yet: cards that are written from now on would not join it, and boards that have it are not as planned.',
      'Add it when the move is decided.',
      { fix: 'into-plan' },
    );
  else if (takenOff > 0 && from.id !== to.id && batch.networks.some(({ networkId }) => networkId === from.id))
    add(
      'The plan of the batch still has the old network: cards that are written from now on would join it, and boards that forgot it are not as planned.',
      'Take it out when no board needs it any more.',
      { fix: 'out-of-plan' },
    );
  return findings;
}

/** A batch's plan with the new network as moved boards have it: above whatever else they have. */
export function withNetwork(batch: Plan, networkId: string, priority: number): Plan {
  const others = batch.networks.filter((join) => join.networkId !== networkId);
  const highest = Math.max(0, ...others.map((join) => join.priority));
  return { ...batch, networks: [{ networkId, priority: Math.max(priority, highest + 1) }, ...others] };
}

/** A batch's plan without a network that its boards have left. */
export const withoutNetwork = (batch: Plan, networkId: string): Plan => ({
  ...batch,
  networks: batch.networks.filter((join) => join.networkId !== networkId),
});
