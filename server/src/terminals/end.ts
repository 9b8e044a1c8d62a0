import { untilRecorded } from '../platform/queue/until-recorded';
import type { Terminals } from './domain';
import type { OpenTerminal } from './open-terminals';

/** Ends a terminal and writes down that it did, with what was kept. */
export async function endTerminal(terminals: Terminals, one: OpenTerminal, text: string): Promise<void> {
  const { open, repository, log, events, knex } = terminals;
  one.terminal.close();
  one.shell.close();
  open.release(one.deviceId);
  try {
    await untilRecorded(terminals, () =>
      knex.transaction(async (db) => {
        if (one.keep) await repository.end(one.id, text, db);
        await log.add(
          [
            {
              kind: 'terminal-ended',
              batchId: one.batchId,
              deviceId: one.deviceId,
              text: `The terminal to ${one.hostName} was closed.`,
            },
          ],
          db,
        );
      }),
    );
  } catch (error) {
    // The program stops, and the record says that it was open then.
    if (!terminals.closing.aborted) throw error;
  }
  events.send({ type: 'log' });
}
