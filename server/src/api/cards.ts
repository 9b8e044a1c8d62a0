import * as z from 'zod';
import {
  BenchSettingsSchema,
  CardRecordSchema,
  CheckSlotSchema,
  MendSlotSchema,
  ProveCardSchema,
  SlotCheckSchema,
  SaveCardSchema,
  SentBootFilesSchema,
  type CardRecord,
} from '@nest-mark/core';
import { CardError } from '@nest-mark/station';
import { once } from '../http/idempotency';
import { Problem } from '../http/problems';
import { route, type Route } from '../http/route';
import { record, type Context } from '../services/context';
import { checkSlot, mendSlot, slotFiles } from '../services/check-slot';
import { startProof } from '../services/prove-card';

const KeySchema = z.object({ key: z.string().min(1).max(200) });

async function needCard(context: Context, key: string): Promise<CardRecord> {
  const [card] = await context.cards.list([key]);
  if (!card) throw new Problem(404, 'card-unknown', 'There is no record of such a card.');
  return card;
}

export const cardRoutes: Route[] = [
  route({
    method: 'get',
    path: '/cards',
    summary: 'Records of all cards that were used here',
    answer: z.array(CardRecordSchema),
    run: ({ context }) => context.cards.list(),
  }),
  route({
    method: 'put',
    path: '/cards/:key',
    summary: 'Retire a card, take it back into use, or note something about it',
    params: KeySchema,
    body: SaveCardSchema,
    answer: CardRecordSchema,
    run: async ({ context, params, body }) => {
      const before = await needCard(context, params.key);
      await context.cards.save(params.key, body);
      if (before.retired !== body.retired)
        await record(context, {
          kind: body.retired ? 'card-retired' : 'card-back',
          cardSerial: params.key,
          text: body.retired ? 'The card was retired.' : 'The card was taken back into use.',
        });
      context.events.send({ type: 'cards' });
      context.events.send({ type: 'slots' });
      return needCard(context, params.key);
    },
  }),
  route({
    method: 'post',
    path: '/cards/prove',
    summary: 'Prove the card of a slot or restore its full size: erases it',
    body: ProveCardSchema,
    answer: CardRecordSchema,
    status: 201,
    run: ({ context, body, request }) => once(context, request, () => startProof(context, body)),
  }),
  route({
    method: 'post',
    path: '/cards/:key/stop',
    summary: 'Stop the proof of a card',
    params: KeySchema,
    run: async ({ context, params }) => {
      const card = await needCard(context, params.key);
      const stopper = context.stoppers.get(params.key);
      if (card.proof?.state !== 'running' || !stopper)
        throw new Problem(409, 'proof-ended', 'This card is not being proved.');
      stopper.abort();
    },
  }),
];

const SlotIdSchema = z.object({ id: z.string().max(100) });

export const slotRoutes: Route[] = [
  route({
    method: 'post',
    path: '/slots/:id/check',
    summary: 'What the card in a slot will make of its board, and what is wrong with it',
    params: SlotIdSchema,
    body: CheckSlotSchema,
    answer: SlotCheckSchema,
    run: ({ context, params, body }) => checkSlot(context, params.id, body.identity),
  }),
  route({
    method: 'post',
    path: '/slots/:id/files',
    summary: 'The first-boot files of the card in a slot, with their secrets; logged',
    params: SlotIdSchema,
    body: CheckSlotSchema,
    answer: SentBootFilesSchema,
    run: ({ context, params, body }) => slotFiles(context, params.id, body.identity),
  }),
  route({
    method: 'post',
    path: '/slots/:id/mend',
    summary: 'Mend one finding on the card in a slot; nothing else of it is changed',
    params: SlotIdSchema,
    body: MendSlotSchema,
    answer: SlotCheckSchema,
    run: ({ context, params, body }) => mendSlot(context, params.id, body),
  }),
  route({
    method: 'post',
    path: '/slots/:id/release',
    summary: 'Take the mounted partitions of a medium out of use, as the person asked',
    params: SlotIdSchema,
    run: async ({ context, params }) => {
      const slot = (await context.reader.list()).find(({ id }) => id === params.id);
      if (!slot?.medium) throw new Problem(409, 'card-missing', 'There is no card in this slot.');
      if (slot.medium.system)
        throw new Problem(
          409,
          'card-system',
          'This is a disk that this computer runs from. It stays in use.',
        );
      await context.reader.release?.(params.id).catch((error: unknown) => {
        throw error instanceof CardError ? new Problem(409, 'card-busy', error.message) : error;
      });
      await record(context, {
        kind: 'released',
        cardSerial: slot.medium.identity.serial,
        text: `The card in ${slot.title} was released from ${slot.medium.mounted.join(', ') || 'nothing'}.`,
      });
      context.events.send({ type: 'slots' });
    },
  }),
  route({
    method: 'post',
    path: '/slots/:id/eject',
    summary: 'Make a medium safe to pull, where the reader can do that',
    params: SlotIdSchema,
    run: async ({ context, params }) => {
      await context.reader.eject?.(params.id);
      context.events.send({ type: 'slots' });
    },
  }),
];

export const settingRoutes: Route[] = [
  route({
    method: 'get',
    path: '/settings/bench',
    summary: 'What is set at the bench',
    answer: BenchSettingsSchema,
    run: ({ context }) => context.settings.bench(),
  }),
  route({
    method: 'put',
    path: '/settings/bench',
    summary: 'Set the bench: largest card, memory, real readers, sound',
    body: BenchSettingsSchema,
    answer: BenchSettingsSchema,
    run: async ({ context, body }) => {
      const before = await context.settings.bench();
      await context.settings.setBench(body);
      if (before.largestGB !== body.largestGB)
        await record(context, {
          kind: 'settings',
          text: `The largest medium that is written was set to ${String(body.largestGB)} GB; it was ${String(before.largestGB)} GB.`,
        });
      if (before.realReaders !== body.realReaders)
        await record(context, {
          kind: 'settings',
          text: `The card readers of this computer are ${body.realReaders ? 'offered' : 'no longer offered'}.`,
        });
      context.events.send({ type: 'settings' });
      context.events.send({ type: 'slots' });
      return body;
    },
  }),
];
