import { randomUUID } from 'node:crypto';
import * as z from 'zod';
import { OpenTerminalSchema, TerminalSchema } from '@nest-mark/core';
import { Shell, ShellError } from '@nest-mark/station';
import { wayTo } from '../bringup';
import { needBatch } from '../plans';
import { problem } from '../platform/http/problems';
import { route, type Route } from '../platform/http/route';
import type { Terminals } from './domain';
import { endTerminal } from './end';
import type { OpenTerminal } from './open-terminals';

const BoardSchema = z.object({ id: z.uuid(), deviceId: z.uuid() });

/** Logs in to a board that proves its key in this very connection. @throws Problem */
async function open(
  terminals: Terminals,
  { id: batchId, deviceId }: z.infer<typeof BoardSchema>,
  { way, columns, rows, keep }: z.infer<typeof OpenTerminalSchema>,
  who: string,
): Promise<OpenTerminal> {
  const { bringUps, repository, knex, log, events } = terminals;
  const batch = await needBatch(bringUps.plans, batchId);
  const { device, place, login } = await wayTo(bringUps, batch, deviceId, way);
  if (!place) throw problem('not-proved');
  try {
    const shell = await Shell.open(place, login, terminals.closing);
    const terminal = await shell.terminal({ columns, rows }).catch((error: unknown) => {
      shell.close();
      throw error;
    });
    // What comes before the browser is there waits.
    terminal.pause();
    const one: OpenTerminal = {
      id: randomUUID(),
      batchId,
      deviceId,
      who,
      hostName: device.hostName,
      shell,
      terminal,
      keep,
      secrets: login.password === null ? [] : [login.password],
    };
    try {
      await knex.transaction(async (db) => {
        if (keep) await repository.begin(one.id, deviceId, who, db);
        await log.add(
          [
            {
              kind: 'terminal-opened',
              batchId,
              deviceId,
              text: `A terminal to ${device.hostName} was opened${keep ? ', and what it shows is kept' : ''}.`,
            },
          ],
          db,
        );
      });
    } catch (error) {
      shell.close();
      throw error;
    }
    events.send({ type: 'log' });
    return one;
  } catch (error) {
    if (error instanceof ShellError) throw problem('board-refuses', { why: error.message });
    throw error;
  }
}

export const terminalRoutes = (terminals: Terminals): Route[] => [
  route({
    method: 'post',
    path: '/batches/:id/devices/:deviceId/terminal',
    summary: 'Log in to a proved board for a terminal; its browser comes for it by a web socket',
    params: BoardSchema,
    body: OpenTerminalSchema,
    answer: TerminalSchema,
    status: 201,
    problems: [
      'batch-missing',
      'device-missing',
      'terminals-off',
      'terminal-open',
      'way-missing',
      'not-proved',
      'board-refuses',
    ],
    run: async ({ params, body, who }) => {
      const { open: all } = terminals;
      if (!all.allowed) throw problem('terminals-off');
      const why = all.reserve(params.deviceId);
      if (why !== null) throw problem('terminal-open', { why });
      try {
        const one = await open(terminals, params, body, who);
        // Nobody came for it.
        return { ticket: all.wait(one, () => void endTerminal(terminals, one, '')) };
      } catch (error) {
        all.release(params.deviceId);
        throw error;
      }
    },
  }),
];
