import type { AirView, TryWithSchema } from '@nest-mark/core/api';
import type * as z from 'zod';
import { networkTitle, ssidBytes, toHex, verdictTitles, type ShelvedNetwork } from '@nest-mark/core';
import {
  answersTo,
  gathered,
  lookAlikesOf,
  otherSecurity,
  type HeardNetwork,
  type RadioAdapter,
  type TriedNetwork,
} from '@nest-mark/core/in-air';
import { RadioError, type Radio, type TrialEnd } from '@nest-mark/station';
import { boardKey, needNetwork } from '../networks';
import { problem } from '../platform/http/problems';
import { refusedBy } from '../platform/http/refused-by';
import type { Air } from './domain';

/** All adapters that are offered, with their radios, and why some are not told. */
async function adaptersOf(
  air: Air,
): Promise<{ all: { adapter: RadioAdapter; radio: Radio }[]; problem: string }> {
  const offered = await Promise.all(
    air.radios.map(async ({ radio, offered }) => ((await offered()) ? radio : null)),
  );
  let why = '';
  const lists = await Promise.all(
    offered.map(async (radio) => {
      if (!radio) return [];
      const adapters = await radio.adapters().catch((error: unknown) => {
        if (!(error instanceof RadioError)) throw error;
        why = error.message;
        return [];
      });
      return adapters.map((adapter) => ({ adapter, radio }));
    }),
  );
  return { all: lists.flat(), problem: why };
}

/** What is shown of the air. */
export async function airView(air: Air): Promise<AirView> {
  const { all, problem: why } = await adaptersOf(air);
  return { adapters: all.map(({ adapter }) => adapter), problem: why, look: air.heard.last };
}

/** An adapter for as long as something is done with it; nobody else of this program has it meanwhile. @throws Problem */
async function withAdapter<T>(
  air: Air,
  name: string,
  work: (radio: Radio, adapter: RadioAdapter) => Promise<T>,
): Promise<T> {
  if (air.busy.has(name)) throw problem('adapter-busy');
  air.busy.add(name);
  try {
    const found = (await adaptersOf(air)).all.find(({ adapter }) => adapter.name === name);
    if (!found) throw problem('adapter-missing');
    return await work(found.radio, found.adapter);
  } catch (error) {
    if (!(error instanceof RadioError)) throw error;
    if (error.fault === 'gone') throw problem('adapter-missing');
    if (error.fault === 'busy') throw problem('adapter-busy');
    throw problem('air-closed', { why: error.message });
  } finally {
    air.busy.delete(name);
  }
}

async function listen(air: Air, radio: Radio, name: string): Promise<HeardNetwork[]> {
  const networks = gathered(await radio.look(name, air.closing));
  air.heard.last = { at: Date.now(), adapter: name, networks };
  air.events.send({ type: 'air' });
  return networks;
}

/** Listens to the air with an adapter, and tells which bands that has. @throws Problem */
export const listenWith = (
  air: Air,
  name: string,
): Promise<{ networks: HeardNetwork[]; hears: RadioAdapter['bands'] }> =>
  withAdapter(air, name, async (radio, { bands }) => ({
    networks: await listen(air, radio, name),
    hears: bands,
  }));

/** Listens to the air. @throws Problem */
export async function lookAround(air: Air, name: string): Promise<AirView> {
  await listenWith(air, name);
  return airView(air);
}

/** Adds to a network that is not heard which name near it is. */
function nearBy(end: TrialEnd, ssidHex: string, heard: readonly HeardNetwork[]): TrialEnd {
  if (end.verdict !== 'not-heard') return end;
  const names = [...new Set([...heard.map((one) => one.ssidHex), ssidHex])];
  const [near] = lookAlikesOf(names).get(ssidHex) ?? [];
  return near === undefined
    ? end
    : { ...end, message: `${end.message} “${near}” is heard, which is another name.` };
}

async function triedNetwork(air: Air, network: ShelvedNetwork): Promise<Omit<TriedNetwork, 'mhz'>> {
  const ssid = ssidBytes(network);
  if (!ssid || ssid.length === 0 || ssid.length > 32) throw problem('key-not-there');
  const { hidden, security, secret } = network;
  if (security !== 'open' && (secret.state === 'missing' || secret.faults.some((one) => one !== 'spaces')))
    throw problem('key-not-there');
  const key = await boardKey(air.networks, network, ssid);
  return { ssidHex: toHex(ssid), hidden, security, key };
}

/**
 * Tries the key of a network by joining it for a moment, and writes the verdict down.
 * @param version of the network as it was read
 * @throws Problem
 */
export async function tryNetwork(
  air: Air,
  id: string,
  version: number,
  { adapter: name, agreed }: z.infer<typeof TryWithSchema>,
  who: string,
): Promise<ShelvedNetwork> {
  const network = await needNetwork(air.networks, id);
  if (network.version !== version) throw problem('network-changed');
  const wanted = await triedNetwork(air, network);
  const begun = Date.now();
  const end = await withAdapter(air, name, async (radio, adapter) => {
    if (adapter.mayTry !== '') throw problem('adapter-not-for-trials', { why: adapter.mayTry });
    if (adapter.asks !== '' && !agreed) throw problem('adapter-in-use');
    const networks = await listen(air, radio, name);
    const heard = networks.find(({ ssidHex }) => ssidHex === wanted.ssidHex);
    const other = otherSecurity(network.security, heard);
    if (other !== null)
      return {
        verdict: 'other-security' as const,
        signal: heard?.points[0]?.signal ?? null,
        message: other,
      };
    const mhz = (heard?.points ?? [])
      .filter(({ security }) => answersTo(network.security, security))
      .map((point) => point.mhz);
    const tried = await radio.tryKey(name, { ...wanted, mhz: [...new Set(mhz)].slice(0, 8) }, air.closing);
    const ended = nearBy(tried, wanted.ssidHex, networks);
    return { ...ended, signal: ended.signal ?? heard?.points[0]?.signal ?? null };
  });
  const seconds = (Date.now() - begun) / 1000;
  await air.knex
    .transaction(async (db) => {
      const trial = {
        ...end,
        networkId: id,
        networkVersion: version,
        seconds,
        adapter: name,
        station: air.station,
      };
      await air.repository.add(trial, db);
      const text = `Network "${networkTitle(network)}" was tried with ${name}: ${verdictTitles[end.verdict]}. ${end.message} Asked for by ${who}.`;
      await air.log.add([{ kind: 'network', text }], db);
    })
    // It was taken off the shelf meanwhile.
    .catch(refusedBy('network_trial_network_id_fkey', () => problem('network-missing')));
  air.events.send({ type: 'networks' });
  air.events.send({ type: 'log' });
  return needNetwork(air.networks, id);
}
