import { isSure } from '@nest-mark/core';
import type { ShellPlace } from '@nest-mark/station';
import { batchProgress, lookAgain } from '../finding';
import { untilRecorded } from '../platform/queue/until-recorded';
import type { BringUps } from './domain';
import { together } from './together';

/** Milliseconds for which the places where boards were proved are not looked up again. */
const PLACES_MS = 1000;

/** Milliseconds between two times that boards are looked for where others of their batch were. */
const SEEK_EVERY = 4000;

/** Where boards were proved last, looked up once for many. */
export class Places {
  private known: { at: number; places: Promise<Map<string, ShellPlace>> } | null = null;

  constructor(
    private readonly bringUps: Pick<BringUps, 'finding' | 'plans' | 'closing'>,
    private readonly batchId: string,
  ) {}

  async of(deviceId: string): Promise<ShellPlace | null> {
    if (!this.known || Date.now() - this.known.at > PLACES_MS)
      this.known = { at: Date.now(), places: untilRecorded(this.bringUps, () => this.look()) };
    return (await this.known.places).get(deviceId) ?? null;
  }

  /** Looks where the boards are now. */
  readonly seek = together(SEEK_EVERY, async () => {
    await lookAgain(this.bringUps.finding, this.batchId);
    this.forget();
  });

  /** Has them looked up anew, since somebody else found boards. */
  forget(): void {
    this.known = null;
  }

  private async look(): Promise<Map<string, ShellPlace>> {
    const { finding, plans } = this.bringUps;
    const [{ devices }, records] = await Promise.all([
      batchProgress(finding, this.batchId),
      plans.repository.records(this.batchId),
    ]);
    const keys = new Map(records.map(({ deviceId, hostKey }) => [deviceId, hostKey]));
    return new Map(
      devices.flatMap(({ deviceId, seen }): [string, ShellPlace][] => {
        const hostKey = keys.get(deviceId) ?? null;
        // Of a card that was copied nobody can say which board is meant.
        if (!seen || hostKey === null || !isSure(seen)) return [];
        return [[deviceId, { address: seen.address, port: seen.port, hostKey }]];
      }),
    );
  }
}
