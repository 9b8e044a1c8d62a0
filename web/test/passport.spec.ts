import { TestBed } from '@angular/core/testing';
import { of, Subject } from 'rxjs';
import type { LogEntry, Passport } from '@nest-mark/core';
import { Api } from '../src/app/api/api';
import { ServerEvents } from '../src/app/api/server-events';
import { ReadPassport } from '../src/app/passport/read-passport';
import { viewOf } from '../src/app/shell/layout';
import { planPartOf, partOf, planParts } from '../src/app/shell/places';
import { failure } from './helpers/store';
import { moment } from '../src/app/ui/moment';

const passport = (deviceId: string): Passport => ({
  batchId: 'b',
  deviceId,
  hostKey: null,
  fingerprint: null,
  retired: null,
  takenOver: null,
  secretsForgottenAt: null,
  cards: [],
  sightings: [],
  broughtUp: [],
  terminals: [],
});

describe('reading a passport', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  function wired() {
    const asked: { deviceId: string; answer: Subject<Passport> }[] = [];
    const events = new Subject<{ type: string }>();
    const api = {
      passport: (_batchId: string, deviceId: string) => {
        const answer = new Subject<Passport>();
        asked.push({ deviceId, answer });
        return answer;
      },
      log: () => of<LogEntry[]>([]),
    };
    TestBed.configureTestingModule({
      providers: [
        ReadPassport,
        { provide: Api, useValue: api },
        { provide: ServerEvents, useValue: { events, connected: new Subject() } },
      ],
    });
    const reader = TestBed.inject(ReadPassport);
    const look = async (deviceId: string): Promise<void> => {
      reader.look('b', deviceId);
      TestBed.tick();
      await Promise.resolve();
    };
    return { reader, asked, events, look };
  }

  it('shows the answer about the device that is looked at, however late another one’s comes', async () => {
    const { reader, asked, look } = wired();
    await look('first');
    await look('second');
    asked[1]!.answer.next(passport('second'));
    asked[0]!.answer.next(passport('first'));
    expect(reader.passport()?.deviceId).toBe('second');
  });

  it('asks again when something happened, once for several events, and keeps what it shows meanwhile', async () => {
    const { reader, asked, events, look } = wired();
    await look('first');
    asked[0]!.answer.next(passport('first'));
    for (const type of ['progress', 'cards', 'log', 'networks']) events.next({ type });
    jest.advanceTimersByTime(1000);
    expect(asked).toHaveLength(2);
    expect(reader.passport()?.deviceId).toBe('first');
  });

  it('says why it could not be read, and takes that back with the next answer', async () => {
    const { reader, asked, events, look } = wired();
    await look('first');
    asked[0]!.answer.error(failure('database-away'));
    expect(reader.problem()?.code).toBe('database-away');
    events.next({ type: 'log' });
    jest.advanceTimersByTime(1000);
    await Promise.resolve();
    asked[1]!.answer.next(passport('first'));
    expect([reader.problem(), reader.passport()?.deviceId]).toEqual([null, 'first']);
  });
});

describe('places and views', () => {
  it('a finding’s place lies in the part where its field is', () => {
    const of = (place: string): string => planPartOf(place);
    expect(['name', 'device.hostName', 'tray.rows', 'devices'].map(of)).toEqual(['', '', '', '']);
    expect(
      ['imageId', 'access.keys', 'net.ssid', 'country', 'extras.files.0', 'bench.slots'].map(of),
    ).toEqual(['image', 'access', 'networks', 'networks', 'system', 'time']);
    expect([partOf('name'), partOf('kit.cardGB')]).toEqual([['plan'], ['plan', 'kit']]);
    expect(new Set(planParts.map(({ path }) => path)).size).toBe(planParts.length);
  });

  it('views of one thing each are one view, whose size is remembered for all', () => {
    expect(viewOf('/batch/1/device/2')).toBe('device');
    expect(viewOf('/batch/1/card-records/p57ad?x=1')).toBe('card-records');
    expect(viewOf('/batch/1/plan/power#top')).toBe('plan/power');
    expect(viewOf('/')).toBe('');
  });

  it('a moment of today has no day, one of another day has', () => {
    const now = new Date(2026, 4, 3, 12, 0, 0).getTime();
    expect(moment(now - 3_600_000, now)).toBe('11:00:00');
    expect(moment(now - 86_400_000, now)).toBe('2 May 2026, 12:00:00');
  });
});
