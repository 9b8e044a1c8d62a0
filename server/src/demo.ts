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

/** The hatchery: twelve tank monitors, three gate controllers and four field buoys. Runs once, on an empty database. */
export async function plantDemo(
  context: Context,
  baseImage: string,
  network: string,
  port: number,
): Promise<void> {
  if ((await context.batches.list()).length > 0) return;
  const image = await addImage(context, { path: baseImage, title: 'Practice OS 1, minimal', sha256: '' });
  const secrets = { wifiPassphrase: 'low tide at seven' };
  const tanks = addDevices(
    hatchery('Tank monitors', 3, 4, network, port),
    namesFromPattern('tank-{n:02}', 12),
    'tank monitor',
    draw,
  );
  await createBatch(context, { plan: { ...tanks, imageId: image.id }, secrets });
  const gates = addDevices(
    hatchery('Gates and buoys', 2, 4, network, port),
    namesFromPattern('gate-{n:02}', 3),
    'gate controller',
    draw,
  );
  const field = addDevices(gates, namesFromPattern('buoy-{n:02}', 4), 'field buoy', draw);
  await createBatch(context, {
    plan: { ...field, imageId: image.id, boardProfileId: 'compact-64' },
    secrets,
  });
}
