import * as z from 'zod';
import {
  CardRecordSchema,
  CheckSlotSchema,
  DiskSurveySchema,
  MendSlotSchema,
  ReadTrialSchema,
  StartCapacityCheckSchema,
  SlotCheckSchema,
  SaveCardSchema,
  SentBootFilesSchema,
  type ReadTrial,
} from '@nest-mark/core';
import { CardError, tryReading } from '@nest-mark/station';
import { once, onceProblems } from '../platform/idempotency/once';
import { problem } from '../platform/http/problems';
import { route, type Route } from '../platform/http/route';
import { record } from '../platform/log/record';
import type { Cards } from './domain';
import { guardProblems, lookProblems, readerProblems } from './problems';
import { heldBy, ofReader } from './slots';
import { checkSlot, mendSlot, slotFiles } from './check-slot';
import { rewriteSettings } from './rewrite-settings';
import { needCard, startCapacityCheck, stopCapacityCheck } from './capacity-check';

const KeySchema = z.object({ key: z.string().min(1).max(200) });

export const cardRoutes = (cards: Cards): Route[] => [
  route({
    method: 'get',
    path: '/cards',
    summary: 'Records of all cards that were used here',
    answer: z.array(CardRecordSchema),
    run: () => cards.repository.list(),
  }),
  route({
    method: 'put',
    path: '/cards/:key',
    summary: 'Retire a card, take it back into use, or note something about it',
    params: KeySchema,
    body: SaveCardSchema,
    answer: CardRecordSchema,
    problems: ['card-unknown'],
    run: async ({ params, body }) => {
      const before = await needCard(cards, params.key);
      await cards.repository.save(params.key, body);
      if (before.retired !== body.retired)
        await record(cards, {
          kind: body.retired ? 'card-retired' : 'card-back',
          cardSerial: params.key,
          text: body.retired ? 'The card was retired.' : 'The card was taken back into use.',
        });
      cards.events.send({ type: 'cards' });
      cards.events.send({ type: 'slots' });
      return needCard(cards, params.key);
    },
  }),
  route({
    method: 'post',
    path: '/cards/capacity-check',
    summary: 'Check the capacity of the card in a slot, or restore its full size: erases it',
    body: StartCapacityCheckSchema,
    answer: CardRecordSchema,
    status: 201,
    problems: [...onceProblems, ...guardProblems],
    run: ({ body, request, who }) => once(cards, request, () => startCapacityCheck(cards, body, who)),
  }),
  route({
    method: 'post',
    path: '/cards/:key/stop',
    summary: 'Stop the capacity check of a card',
    params: KeySchema,
    problems: ['card-unknown', 'check-ended'],
    run: async ({ params }) => {
      await needCard(cards, params.key);
      await stopCapacityCheck(cards, params.key);
    },
  }),
];

const SlotIdSchema = z.object({ id: z.string().max(100) });

/** Reads some of the card in a slot. @throws Problem */
async function tryCard(cards: Cards, slotId: string): Promise<ReadTrial> {
  const slot = (await cards.reader.list()).find(({ id }) => id === slotId);
  const title = slot?.title ?? slotId;
  if (!slot?.medium) throw problem('card-missing', { title });
  const held = heldBy(cards, await cards.runs.repository.heldSlots(), slotId, slot.medium.identity);
  if (held !== null) throw problem('slot-busy', { title, held });
  try {
    const medium = await cards.reader.openToRead(slotId);
    try {
      return await tryReading(medium);
    } finally {
      await medium.close();
    }
  } catch (error) {
    throw error instanceof CardError ? ofReader(title, error) : error;
  }
}

export const slotRoutes = (cards: Cards): Route[] => [
  route({
    method: 'get',
    path: '/disks',
    summary: 'The disks of this computer as its system sees them, and whether they could be used',
    answer: z.array(DiskSurveySchema),
    run: () => cards.disks.survey(),
  }),
  route({
    method: 'post',
    path: '/slots/:id/try',
    summary: 'Read some of the card in a slot, at its beginning, middle and end; nothing is written',
    params: SlotIdSchema,
    answer: ReadTrialSchema,
    problems: ['card-missing', 'slot-busy', ...readerProblems],
    run: ({ params }) => tryCard(cards, params.id),
  }),
  route({
    method: 'post',
    path: '/slots/:id/check',
    summary: 'What the card in a slot will make of its board, and what is wrong with it',
    params: SlotIdSchema,
    body: CheckSlotSchema,
    answer: SlotCheckSchema,
    problems: lookProblems,
    run: ({ params, body }) => checkSlot(cards, params.id, body.identity),
  }),
  route({
    method: 'post',
    path: '/slots/:id/files',
    summary: 'The first-boot files of the card in a slot, with their secrets; logged',
    params: SlotIdSchema,
    body: CheckSlotSchema,
    answer: SentBootFilesSchema,
    problems: lookProblems,
    run: ({ params, body }) => slotFiles(cards, params.id, body.identity),
  }),
  route({
    method: 'post',
    path: '/slots/:id/mend',
    summary: 'Mend one finding on the card in a slot; nothing else of it is changed',
    params: SlotIdSchema,
    body: MendSlotSchema,
    answer: SlotCheckSchema,
    problems: [...lookProblems, ...guardProblems, 'not-mendable'],
    run: ({ params, body }) => mendSlot(cards, params.id, body),
  }),
  route({
    method: 'post',
    path: '/slots/:id/settings',
    summary:
      'Write the settings of the device whose card is in a slot anew, as its plan has them; nothing else',
    params: SlotIdSchema,
    body: CheckSlotSchema,
    answer: SlotCheckSchema,
    problems: [...lookProblems, ...guardProblems, 'settings-not-again', 'files-not-ready'],
    run: ({ params, body }) => rewriteSettings(cards, params.id, body.identity),
  }),
  route({
    method: 'post',
    path: '/slots/:id/release',
    summary: 'Take the mounted partitions of a medium out of use, as the person asked',
    params: SlotIdSchema,
    problems: ['card-missing', 'card-system', ...readerProblems],
    run: async ({ params }) => {
      const slot = (await cards.reader.list()).find(({ id }) => id === params.id);
      if (!slot?.medium) throw problem('card-missing', { title: slot?.title ?? params.id });
      if (slot.medium.system)
        throw problem('card-system', {
          title: slot.title,
          why: 'This is a disk that this computer runs from. It stays in use.',
        });
      await cards.reader.release?.(params.id).catch((error: unknown) => {
        throw error instanceof CardError ? ofReader(slot.title, error) : error;
      });
      await record(cards, {
        kind: 'released',
        cardSerial: slot.medium.identity.serial,
        text: `The card in ${slot.title} was released from ${slot.medium.mounted.join(', ') || 'nothing'}.`,
      });
      cards.events.send({ type: 'slots' });
    },
  }),
  route({
    method: 'post',
    path: '/slots/:id/eject',
    summary: 'Make a medium safe to pull, where the reader can do that',
    params: SlotIdSchema,
    run: async ({ params }) => {
      await cards.reader.eject?.(params.id);
      cards.events.send({ type: 'slots' });
    },
  }),
];
