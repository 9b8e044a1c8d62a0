import { emptyNetwork, fromHex, textOrNull, type Network, type ShelvedNetwork } from '@nest-mark/core';
import type { SavedView } from '@nest-mark/core/api';
import { shownName, takenFromAir, type SavedPlace } from '@nest-mark/core/in-air';
import { RadioError, type SavedProfiles } from '@nest-mark/station';
import { addNetwork, needNetwork } from '../networks';
import { problem } from '../platform/http/problems';
import type { Air } from './domain';

const offered = async ({ radios }: Air): Promise<SavedProfiles[]> =>
  (await Promise.all(radios.map(async (one) => ((await one.offered()) ? one.saved : null)))).filter(
    (one) => one !== null,
  );

/** What this computer has saved, without any key. */
export async function savedView(air: Air): Promise<SavedView> {
  const lists = await Promise.all((await offered(air)).map((one) => one.list()));
  return {
    profiles: lists.flatMap(({ profiles }) => profiles),
    problem: lists
      .map((one) => one.problem)
      .filter((text) => text !== '')
      .join(' '),
  };
}

/** A saved network as one of the shelf; its bands and channels are those on which it was heard last, if it was. */
function shelved({ heard }: Air, { ssidHex, hidden, security }: SavedPlace): Network {
  const title = shownName(ssidHex).trim().slice(0, 80);
  const there = heard.last?.networks.find((one) => one.ssidHex === ssidHex);
  const network = there ? takenFromAir(emptyNetwork(title), there) : emptyNetwork(title);
  const text = textOrNull(fromHex(ssidHex) ?? new Uint8Array());
  return {
    ...network,
    ssid: text ?? ssidHex,
    ssidForm: text === null ? 'hex' : 'text',
    hidden,
    security: security ?? network.security,
  };
}

/** Puts a saved network onto the shelf with its key, which no browser sees. @throws Problem */
export async function takeSaved(air: Air, id: string, who: string): Promise<ShelvedNetwork> {
  for (const saved of await offered(air)) {
    const found = (await saved.list()).profiles.some((one) => one.id === id);
    if (!found) continue;
    try {
      const { profile, key } = await saved.take(id);
      if (profile.security === null)
        throw problem('profile-closed', { why: 'Boards cannot be prepared for that kind of security here.' });
      const network = shelved(air, profile);
      const text = `Network "${network.title}" was taken from what this computer has saved (${profile.by})${key === '' ? '' : ', with its key'}; asked for by ${who}.`;
      const networkId = await air.knex.transaction(async (db) => {
        const made = await addNetwork(air.networks, { network, ...(key === '' ? {} : { secret: key }) }, db);
        await air.log.add([{ kind: 'network', text }], db);
        return made;
      });
      air.events.send({ type: 'networks' });
      air.events.send({ type: 'log' });
      return await needNetwork(air.networks, networkId);
    } catch (error) {
      if (!(error instanceof RadioError)) throw error;
      if (error.fault === 'gone') throw problem('profile-missing');
      throw problem('profile-closed', { why: error.message });
    }
  }
  throw problem('profile-missing');
}
