import { isMark, marksNear, normaliseMark, type Found } from '@nest-mark/core';
import type { Knex } from 'knex';

/** Things that are told of one kind. */
const MOST = 20;

interface DeviceRow {
  id: string;
  batch_id: string;
  mark: string;
  host_name: string;
  retired: boolean;
  batch_name: string;
}

const device = (row: DeviceRow, by: string): Found => ({
  kind: 'device',
  id: row.id,
  title: row.host_name === '' ? 'no name' : row.host_name,
  more: `${row.mark} · ${row.batch_name}${row.retired ? ' · retired' : ''}`,
  by,
  batchId: row.batch_id,
});

/** Text that stands for itself in a LIKE (PostgreSQL documentation, "Pattern Matching"). */
const literal = (text: string): string => text.replace(/[\\%_]/g, '\\$&');

/** Looks through everything that is on record, whichever batch it belongs to. */
export class FoundRepository {
  constructor(private readonly knex: Knex) {}

  /** What a text could mean, what fits best first. */
  async find(text: string): Promise<Found[]> {
    const mark = normaliseMark(text);
    const hex = text.toLowerCase().replace(/[^0-9a-f]/g, '');
    const isHardware = /^[0-9a-f]{2}([:-]?[0-9a-f]{2}){5}$/i.test(text);
    const parts = await Promise.all([
      isMark(mark) ? this.devices('by its mark', 'device.mark = ?', [mark]) : [],
      this.near(text),
      isHardware
        ? this.devices(
            'by its hardware address',
            `device.host_key in (select host_key from sighting where key_proven and hardware_address = ?)`,
            [hex.match(/../g)?.join(':') ?? ''],
          )
        : [],
      /^sha256:./i.test(text)
        ? this.devices('by its host key', 'device.host_key_fingerprint like ?', [
            `SHA256:${literal(text.slice('SHA256:'.length))}%`,
          ])
        : [],
      text.length >= 2
        ? this.devices('by its name', 'lower(device.host_name) like ?', [`%${literal(text.toLowerCase())}%`])
        : [],
      this.cards(text),
      this.images(text),
      this.batches(text),
    ]);
    const seen = new Set<string>();
    return parts.flat().filter(({ kind, id }) => {
      const known = seen.has(`${kind} ${id}`);
      seen.add(`${kind} ${id}`);
      return !known;
    });
  }

  private async devices(by: string, where: string, values: readonly string[]): Promise<Found[]> {
    const rows = await this.knex('device')
      .join('batch', 'batch.id', 'device.batch_id')
      .whereRaw(where, [...values])
      .orderBy('device.host_name')
      .limit(MOST)
      .select<DeviceRow[]>(
        'device.id',
        'device.batch_id',
        'device.mark',
        'device.host_name',
        this.knex.raw('device.retired_at is not null as retired'),
        this.knex.raw(`batch.plan->>'name' as batch_name`),
      );
    return rows.map((row) => device(row, by));
  }

  /** Marks with one slip in them; the check character says that there is one. */
  private near(text: string): Promise<Found[]> {
    const near = marksNear(text);
    return near.length === 0
      ? Promise.resolve([])
      : this.devices(
          'its mark is like that but for one slip',
          `device.mark in (${near.map(() => '?').join(', ')})`,
          near,
        );
  }

  private async cards(text: string): Promise<Found[]> {
    if (text.length < 2) return [];
    const rows = await this.knex('card')
      .leftJoin('device', 'device.id', 'card.device_id')
      .whereRaw('lower(card.key) like ?', [`${literal(text.toLowerCase())}%`])
      .orderBy('card.key')
      .limit(MOST)
      .select<{ key: string; model: string; host_name: string | null; batch_id: string | null }[]>(
        'card.key',
        'card.model',
        'device.host_name',
        'device.batch_id',
      );
    return rows.map(({ key, model, host_name: hostName, batch_id: batchId }) => ({
      kind: 'card',
      id: key,
      title: `${model} ${key}`.trim(),
      more: hostName === null ? 'nobody’s card' : `card of ${hostName}`,
      by: 'by its serial number',
      batchId,
    }));
  }

  private async images(text: string): Promise<Found[]> {
    const digest = /^[0-9a-f]{6,64}$/i.test(text) ? `${text.toLowerCase()}%` : null;
    if (text.length < 2) return [];
    const rows = await this.knex('image')
      .whereRaw('lower(title) like ?', [`%${literal(text.toLowerCase())}%`])
      .modify((select) => {
        if (digest !== null) void select.orWhereRaw(`facts->>'rawSha256' like ?`, [digest]);
      })
      .orderBy('title')
      .limit(MOST)
      .select<{ id: string; title: string }[]>('id', 'title');
    return rows.map(({ id, title }) => ({
      kind: 'image',
      id,
      title,
      more: 'on the shelf',
      by: digest === null ? 'by its title' : 'by its title or digest',
      batchId: null,
    }));
  }

  private async batches(text: string): Promise<Found[]> {
    if (text.length < 2) return [];
    const rows = await this.knex('batch')
      .whereRaw(`lower(plan->>'name') like ?`, [`%${literal(text.toLowerCase())}%`])
      .orderByRaw(`plan->>'name'`)
      .limit(MOST)
      .select<{ id: string; name: string }[]>('id', this.knex.raw(`plan->>'name' as name`));
    return rows.map(({ id, name }) => ({
      kind: 'batch',
      id,
      title: name,
      more: 'batch',
      by: 'by its name',
      batchId: id,
    }));
  }
}
