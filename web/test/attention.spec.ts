import { TestBed } from '@angular/core/testing';
import type { BatchProgress, CardState, Round } from '@nest-mark/core';
import { Attention } from '../src/app/shell/attention';
import { StationActions } from '../src/app/state/station.reducer';
import { ProgressActions } from '../src/app/state/progress.reducer';
import { bench } from './helpers/store';
import { batchId, tankBatch } from './helpers/plan';
import { noProgress } from './helpers/progress';

const round = (states: CardState[]): Round => ({
  id: 'r1',
  batchId,
  number: 1,
  station: 'test',
  begunBy: '',
  state: 'running',
  paused: false,
  startedAt: 0,
  endedAt: null,
  cards: states.map((state, at) => ({
    slotId: `slot-${String(at)}`,
    deviceId: 'd',
    serial: '',
    cardKey: null,
    state,
    share: 0,
    rate: 0,
    secondsLeft: null,
    message: '',
    at: 0,
    pastCache: null,
  })),
});

describe('calling the person', () => {
  it('counts cards that ended in the title, sounds unless it is turned off, and stops once somebody is there', () => {
    const tones: number[] = [];
    const tone = {
      frequency: {
        set value(hertz: number) {
          tones.push(hertz);
        },
      },
      connect: (to: unknown) => to,
      start: () => undefined,
      stop: () => undefined,
    };
    const node = { gain: { value: 0 }, connect: () => undefined };
    class Audio {
      currentTime = 0;
      destination = {};
      createOscillator = () => tone;
      createGain = () => node;
      close = () => Promise.resolve();
    }
    Object.assign(globalThis, { AudioContext: Audio });
    document.title = 'Cards · Nest Mark';
    const { act } = bench(tankBatch(2));
    const sound = {
      largestGB: 256,
      keepBlocks: 12,
      inFlight: 2,
      blockMiB: 4 as const,
      realReaders: false,
      practice: true,
    };
    act(StationActions.settingsCame({ settings: { ...sound, sound: true } }));
    TestBed.inject(Attention);
    const show = (devices: BatchProgress['devices'], ...states: CardState[]): void => {
      act(
        ProgressActions.came({
          progress: {
            ...noProgress(batchId),
            devices,
            rounds: [round(states)],
          },
        }),
      );
      TestBed.tick();
    };
    const tell = (...states: CardState[]): void => show([], ...states);
    // What had ended before the page was there is no news.
    tell('verified', 'writing', 'writing');
    expect(document.title).toBe('Cards · Nest Mark');
    tell('verified', 'verified', 'writing');
    expect(document.title).toBe('(1) Cards · Nest Mark');
    expect(tones).toEqual([660, 880]);
    tell('verified', 'verified', 'failed');
    expect(document.title).toBe('(2) Cards · Nest Mark');
    expect(tones.slice(2)).toEqual([660, 440]);
    document.dispatchEvent(new Event('pointerdown'));
    expect(document.title).toBe('Cards · Nest Mark');
    act(StationActions.settingsCame({ settings: { ...sound, sound: false } }));
    tell('verified', 'verified', 'failed', 'verified');
    expect(document.title).toBe('(1) Cards · Nest Mark');
    expect(tones).toHaveLength(4);

    // The last of those that were powered; one that waits for its card is not waited for.
    document.dispatchEvent(new Event('pointerdown'));
    act(StationActions.settingsCame({ settings: { ...sound, sound: true } }));
    const standings = (...all: ('away' | 'proved' | 'planned')[]) =>
      all.map((standing) => ({
        poweredAt: standing === 'planned' ? null : 1,
        seen: standing === 'proved' ? { standing: 'proved' } : null,
      })) as BatchProgress['devices'];
    const cards = ['verified', 'verified', 'failed', 'verified'] as const;
    show(standings('proved', 'away', 'planned'), ...cards);
    expect(document.title).toBe('Cards · Nest Mark');
    show(standings('proved', 'proved', 'planned'), ...cards);
    expect(document.title).toBe('(1) Cards · Nest Mark');
    expect(tones.slice(4)).toEqual([660, 880]);
    show(standings('proved', 'proved', 'planned'), ...cards);
    expect(tones).toHaveLength(6);
  });
});
