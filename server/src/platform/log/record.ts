import type { EventHub } from '../events/hub';
import type { LogRepository, NewEntry } from './repository';

/** Writes to the log and tells the browsers. */
export async function record(
  { log, events }: { log: LogRepository; events: EventHub },
  ...entries: NewEntry[]
): Promise<void> {
  await log.add(entries);
  events.send({ type: 'log' });
}
