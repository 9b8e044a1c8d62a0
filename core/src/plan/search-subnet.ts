import type { NetworkFacts, Plan } from './model';

/**
 * The subnet on which the boards will be looked for: what the plan says, else that of the network with the highest
 * priority that is on the air at the bench; empty when nobody knows.
 */
export function searchSubnet(
  plan: Plan,
  networks: readonly Pick<NetworkFacts, 'id' | 'subnet' | 'heard'>[],
): string {
  if (plan.network.subnet.trim() !== '') return plan.network.subnet.trim();
  const joins = [...plan.networks].sort((a, b) => b.priority - a.priority);
  for (const { networkId } of joins) {
    const network = networks.find(({ id }) => id === networkId);
    if (network?.heard && network.subnet.trim() !== '') return network.subnet.trim();
  }
  return '';
}
