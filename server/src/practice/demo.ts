import { randomInt, randomUUID } from 'node:crypto';
import {
  addDevices,
  emptyNetwork,
  emptyPlan,
  namesFromPattern,
  type Network,
  type Plan,
} from '@nest-mark/core';
import { otherNetwork } from '@nest-mark/stand-in';
import { addImage } from '../images';
import { createNetwork } from '../networks';
import { createBatch } from '../plans';
import type { Images } from '../images';
import type { Networks } from '../networks';
import type { Plans } from '../plans';
import type { Settings } from '../settings';

/** Invented keys; their private halves exist nowhere. */
const keys = [
  'ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIOZkLpieY3XCqB7NMhCIOJ5eIjHvL6Sp2XEMiLd6gqt7 mara@workbench',
];

const draw = { random: (below: number): number => randomInt(below), id: (): string => randomUUID() };

const hatcheryPlan = (name: string, rows: number, columns: number, port: number): Plan => ({
  ...emptyPlan(name),
  site: 'Oyster hatchery on the salt marsh',
  tray: { rows, columns },
  access: { ...emptyPlan('').access, userName: 'keeper', keys: keys.join('\n') },
  country: 'DK',
  timeZone: 'Europe/Copenhagen',
  network: { subnet: '', port },
});

const shelfNetworks = (network: string): Record<'bench' | 'hall' | 'hotspot', Network> => ({
  bench: {
    ...emptyNetwork('Bench'),
    ssid: 'Saltmarsh Bench',
    channels: [{ band: '2.4 GHz', channel: 6 }],
    country: 'DK',
    subnet: `${network}.0/24`,
    poolSize: 60,
    clientLimit: 32,
  },
  hall: {
    ...emptyNetwork('Hatchery hall'),
    ssid: 'Hatchery Hall',
    security: 'wpa2-wpa3',
    bands: ['2.4 GHz', '5 GHz'],
    country: 'DK',
    purpose: 'site',
    subnet: '192.168.60.0/24',
    heard: false,
  },
  hotspot: {
    ...emptyNetwork('Keeper’s hotspot'),
    ssid: 'Keepers hotspot',
    country: 'DK',
    purpose: 'hotspot',
    subnet: `${otherNetwork(network)}.0/24`,
    clientLimit: 8,
  },
});

/** Where the demo is planted. */
interface Ground {
  images: Images;
  networks: Networks;
  plans: Plans;
  settings: Settings;
}

/** Plants the demo on an empty database; of several stations that start at once one does. */
export const plantDemo = (ground: Ground, baseImage: string, network: string, port: number): Promise<void> =>
  ground.settings.repository.alone('demo', async () => {
    if ((await ground.plans.repository.list()).length === 0) await plant(ground, baseImage, network, port);
  });

/**
 * The hatchery: twelve tank monitors and three gate controllers on the bench's network, and four field buoys on a
 * phone's hotspot. All of them appear on the practice subnet; nothing beyond loopback is ever looked at.
 */
async function plant(
  { images, networks, plans }: Ground,
  baseImage: string,
  network: string,
  port: number,
): Promise<void> {
  const image = await addImage(
    images,
    { path: baseImage, title: 'Practice OS 1, minimal', sha256: '' },
    'the start',
  );
  await images.repository.describe(image.id, image.title, {
    wordBits: 64,
    flavour: 'minimal',
    chosenMethod: null,
    bootPartition: null,
  });
  const shelf = shelfNetworks(network);
  const bench = await createNetwork(networks, { network: shelf.bench, secret: 'low tide at seven' });
  const hall = await createNetwork(networks, { network: shelf.hall, secret: 'nineteen rows of spat' });
  const hotspot = await createNetwork(networks, { network: shelf.hotspot, secret: 'eelgrass and mud' });
  const add = async (plan: Plan, names: string[], role: string): Promise<void> => {
    const filled = addDevices({ ...plan, imageId: image.id }, names, role, draw);
    await createBatch(plans, { plan: filled, secrets: {} });
  };
  const indoors: Plan['networks'] = [
    { networkId: hall.id, priority: 20 },
    { networkId: bench.id, priority: 10 },
  ];
  const tanks = { ...hatcheryPlan('Tank monitors', 3, 4, port), networks: indoors };
  await add(tanks, namesFromPattern('tank-{n:02}', 12), 'tank monitor');
  const gates = { ...hatcheryPlan('Gate controllers', 1, 3, port), networks: indoors };
  await add(gates, namesFromPattern('gate-{n:02}', 3), 'gate controller');
  const buoys: Plan = {
    ...hatcheryPlan('Field buoys', 1, 4, port),
    site: 'Oyster beds, by the keeper’s phone',
    boardProfileId: 'compact-64',
    networks: [{ networkId: hotspot.id, priority: 10 }],
  };
  await add(buoys, namesFromPattern('buoy-{n:02}', 4), 'field buoy');
}
