import * as z from 'zod';
import { nameOf } from '../plain-name';

/** Where a hub listens unless another port is chosen (wg(8), example; common practice). */
export const VPN_PORT = 51_820;

/** How boards are reached from outside of their network: by a tunnel that each of them opens to a hub. */
export const VpnPlanSchema = z.object({
  wanted: z.boolean().default(false),
  /** Whether a board's file goes onto its card, or is put there when the board is brought up. */
  by: z.enum(['cards', 'bring-up']).default('bring-up'),
  /** Where boards find the hub: a name or an address that is the same from everywhere. */
  hub: nameOf(255).default(''),
  /** UDP. */
  port: z.number().int().min(1).max(65_535).default(VPN_PORT),
  /** Addresses inside the tunnel, in CIDR form. */
  network: nameOf(64).default(''),
  /** Seconds after which a board speaks up so that the way through its router stays open; 0 for never. */
  keepAlive: z.number().int().min(0).max(65_535).default(25),
});
export type VpnPlan = z.infer<typeof VpnPlanSchema>;
