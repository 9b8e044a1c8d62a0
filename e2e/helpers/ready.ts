import { randomUUID } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  addDevices,
  emptyNetwork,
  emptyPlan,
  makeHostKey,
  namesFromPattern,
  type Batch,
  type Image,
  type Plan,
  type ShelvedNetwork,
} from '@nest-mark/core';
import { smallImage, type App } from './app';

const userKey = makeHostKey(new Uint8Array(32).fill(7), new Uint8Array(4), 'mara@bench').publicLine;

/** Puts the practice image on the shelf, where a test began with an empty one. */
async function addImage(app: App): Promise<Image> {
  const { id } = await app.api<Image>('POST', '/images', {
    path: smallImage,
    title: 'Practice OS 1',
    sha256: '',
  });
  for (;;) {
    const image = (await app.api<Image[]>('GET', '/images')).find((candidate) => candidate.id === id);
    if (image?.state === 'ready') return image;
    if (image?.state === 'failed') throw new Error(image.message);
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
}

/** Tries the keys of a batch's networks, so that the plan has nothing to note of them. */
export async function tryKeys(app: App, { plan }: Batch): Promise<void> {
  for (const { id, version } of await app.api<ShelvedNetwork[]>('GET', '/networks'))
    if (plan.networks.some(({ networkId }) => networkId === id))
      await app.api(
        'POST',
        `/networks/${id}/try`,
        { adapter: 'practice0' },
        { 'If-Match': `"${String(version)}"` },
      );
}

/** A batch that could be written, made through the server's interface, for tests that are about something else. */
export async function readyBatch(app: App, count: number, change: Partial<Plan> = {}): Promise<Batch> {
  const image =
    (await app.api<Image[]>('GET', '/images')).find(({ state }) => state === 'ready') ??
    (await addImage(app));
  const network = await app.api<ShelvedNetwork>('POST', '/networks', {
    network: { ...emptyNetwork('Bench'), ssid: 'Saltmarsh Bench' },
    secret: 'low tide at seven',
  });
  const plan: Plan = {
    ...emptyPlan('Tank monitors'),
    imageId: image.id,
    access: { ...emptyPlan('').access, userName: 'keeper', keys: userKey },
    networks: [{ networkId: network.id, priority: 10 }],
    country: 'DK',
    timeZone: 'Europe/Copenhagen',
    network: { subnet: `${app.network}.0/24`, port: 2222 },
    // Most tests are about something else.
    bringUp: { ...emptyPlan('').bringUp, wanted: false },
    ...change,
  };
  const draw = {
    random: (below: number): number => Math.floor(Math.random() * below),
    id: (): string => randomUUID(),
  };
  return app.api('POST', '/batches', {
    plan: addDevices(plan, namesFromPattern('tank-{n:02}', count), 'tank monitor', draw),
    secrets: {},
  });
}

/** The card of a batch's first device as an image. @returns its path */
export async function exportedCard(app: App, batch: Batch): Promise<string> {
  const image = join(app.folder, 'card.img');
  const { token } = await app.api<{ token: string }>(
    'POST',
    `/batches/${batch.id}/devices/${batch.plan.devices[0]!.id}/export`,
    { form: 'img' },
  );
  writeFileSync(image, Buffer.from(await (await fetch(`${app.url}/api/exports/${token}`)).arrayBuffer()));
  return image;
}
