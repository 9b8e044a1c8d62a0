import { boardConfig, settingsOf, type BringUp, type Device, type LoginWay } from '@nest-mark/core';
import { noVpn, type ExpectedVpn } from '@nest-mark/core/bring-up';
import type { Login } from '@nest-mark/station';
import {
  benchKeyOf,
  devicePassword,
  sharedPassword,
  tunnelOf,
  vpnBoardOf,
  VpnError,
  type StoredBatch,
} from '../plans';
import type { BringUps } from './domain';

/** Ways to log in that there are for a batch, each with what it lacks. */
export function waysOf({ agent }: BringUps, { plan, benchKey }: StoredBatch): BringUp['ways'] {
  const byPassword = plan.devices.some((device) => settingsOf(plan, device).passwordLogin);
  return [
    {
      way: 'bench-key',
      lacks:
        plan.bringUp.benchKey && benchKey !== null
          ? ''
          : 'The plan puts no key of the bench onto the cards. It can under Access, for cards that are written from then on.',
    },
    {
      way: 'agent',
      lacks: agent === null ? 'No SSH agent was running for the account that started the program.' : '',
    },
    { way: 'password', lacks: byPassword ? '' : 'The plan lets nobody in by password.' },
  ];
}

/**
 * By what the bench logs in to a board. The planned password goes along for sudo, which may ask for it.
 * @throws VaultError when a secret cannot be read
 */
export async function loginFor(
  bringUps: BringUps,
  { id, plan }: StoredBatch,
  device: Device,
  way: LoginWay,
): Promise<{ login: Login; benchKey: string | null }> {
  const settings = settingsOf(plan, device);
  const password = !settings.passwordLogin
    ? null
    : plan.access.passwordScope === 'each'
      ? await devicePassword(bringUps.plans, device.id)
      : await sharedPassword(bringUps.plans, id);
  const key = await benchKeyOf(bringUps.plans, id);
  return {
    login: {
      user: settings.userName,
      key: way === 'bench-key' ? (key?.privateText ?? null) : null,
      agent: way === 'agent' ? bringUps.agent : null,
      password,
      byPassword: way === 'password',
    },
    benchKey: key?.privateText ?? null,
  };
}

/**
 * The tunnel that a board shall open, with its file; nothing where the plan wants none.
 * @throws VaultError when a secret cannot be read
 */
export async function vpnFor(
  { plans }: BringUps,
  batch: StoredBatch,
  device: Device,
): Promise<{ vpn: ExpectedVpn; vpnFile: string | null }> {
  if (!batch.plan.vpn.wanted) return { vpn: noVpn, vpnFile: null };
  try {
    const { privateKey, ...member } = await vpnBoardOf(
      plans,
      batch.plan,
      await tunnelOf(plans, batch),
      device,
    );
    return { vpn: { member, lacks: '' }, vpnFile: boardConfig({ ...member, privateKey }) };
  } catch (error) {
    if (!(error instanceof VpnError)) throw error;
    return { vpn: { member: null, lacks: error.message }, vpnFile: null };
  }
}
