import { randomInt, randomUUID } from 'node:crypto';
import { addDevices, emptyPlan, namesFromPattern, type Plan } from '@nest-mark/core';
import { addImage } from './api/images';
import { createBatch } from './services/plans';
import type { Context } from './services/context';

/** Invented keys; their private halves exist nowhere. */
const keys = [
  'ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIOZkLpieY3XCqB7NMhCIOJ5eIjHvL6Sp2XEMiLd6gqt7 mara@workbench',
];

const draw = { random: (below: number): number => randomInt(below), id: (): string => randomUUID() };

function hatchery(name: string, rows: number, columns: number, network: string, port: number): Plan {
  return {
    ...emptyPlan(name),
    site: 'Oyster hatchery on the salt marsh',
    tray: { rows, columns },
    access: { userName: 'keeper', keys: keys.join('\n'), passwordLogin: false },
    wifi: { ssid: 'Saltmarsh Bench', hidden: false },
    country: 'DK',
    timeZone: 'Europe/Copenhagen',
    network: { subnet: `${network}.0/24`, port },
  };
}

/**
 * The hatchery: twelve tank monitors and three gate controllers on the bench's network, and four field buoys on a
 * phone's hotspot. All of them appear on the practice subnet; nothing beyond loopback is ever named. Runs once, on an
 * empty database.
 */
export async function plantDemo(
  context: Context,
  baseImage: string,
  network: string,
  port: number,
): Promise<void> {
  if ((await context.batches.list()).length > 0) return;
  const image = await addImage(context, { path: baseImage, title: 'Practice OS 1, minimal', sha256: '' });
  const plant = async (plan: Plan, names: string[], role: string, wifiPassphrase: string): Promise<void> => {
    const filled = addDevices({ ...plan, imageId: image.id }, names, role, draw);
    await createBatch(context, { plan: filled, secrets: { wifiPassphrase } });
  };
  const bench = 'low tide at seven';
  const tanks = hatchery('Tank monitors', 3, 4, network, port);
  await plant(tanks, namesFromPattern('tank-{n:02}', 12), 'tank monitor', bench);
  const gates = hatchery('Gate controllers', 1, 3, network, port);
  await plant(gates, namesFromPattern('gate-{n:02}', 3), 'gate controller', bench);
  const buoys: Plan = {
    ...hatchery('Field buoys', 1, 4, network, port),
    site: 'Oyster beds, by the keeper’s phone',
    boardProfileId: 'compact-64',
    wifi: { ssid: 'Keepers hotspot', hidden: false },
  };
  await plant(buoys, namesFromPattern('buoy-{n:02}', 4), 'field buoy', 'eelgrass and mud');
}
