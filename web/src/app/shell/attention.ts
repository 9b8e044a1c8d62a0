import { effect, inject, Injectable } from '@angular/core';
import { Store } from '@ngrx/store';
import type { BatchProgress, Round } from '@nest-mark/core';
import { stationFeature } from '../state/station.reducer';
import { progressFeature } from '../state/progress.reducer';
import { WindowTitle } from './window-title';

/** Cards of some rounds that ended, each by round and slot. */
const endedCards = (rounds: readonly Round[]): string[] =>
  rounds.flatMap(({ id, cards }) =>
    cards
      .filter(({ state }) => state === 'verified' || state === 'failed')
      .map(({ slotId }) => `${id} ${slotId}`),
  );

/** Whether every board that was powered is proved; nobody is there where none was. */
function allThere(devices: BatchProgress['devices']): boolean {
  const powered = devices.filter(({ poweredAt, seen }) => poweredAt !== null || seen !== null);
  return powered.length > 0 && powered.every(({ seen }) => seen?.standing === 'proved');
}

/** Two short tones, the second one lower where something failed. */
function sound(failed: boolean): void {
  try {
    const audio = new AudioContext();
    [660, failed ? 440 : 880].forEach((frequency, at) => {
      const tone = audio.createOscillator();
      const volume = audio.createGain();
      tone.frequency.value = frequency;
      volume.gain.value = 0.08;
      tone.connect(volume).connect(audio.destination);
      tone.start(audio.currentTime + at * 0.22);
      tone.stop(audio.currentTime + at * 0.22 + 0.18);
    });
    setTimeout(() => void audio.close(), 1000);
  } catch {
    // A machine without sound still shows it.
  }
}

/**
 * Calls the person when a card can be pulled or needs a hand, and when the last board of those that were powered is
 * proved: by a sound, and in the window's title until they are back.
 */
@Injectable({ providedIn: 'root' })
export class Attention {
  private readonly store = inject(Store);
  private readonly title = inject(WindowTitle);
  private readonly progress = this.store.selectSignal(progressFeature.selectProgress);
  private readonly settings = this.store.selectSignal(stationFeature.selectSettings);
  private known: { batchId: string; ended: ReadonlySet<string>; there: boolean } | null = null;
  private waiting = 0;

  constructor() {
    effect(() => {
      const progress = this.progress();
      if (progress) this.look(progress);
    });
    for (const event of ['pointerdown', 'keydown'])
      document.addEventListener(event, () => this.call(0), { capture: true, passive: true });
  }

  private look({ batchId, rounds, devices }: BatchProgress): void {
    const ended = endedCards(rounds);
    const before = this.known?.batchId === batchId ? this.known : null;
    this.known = { batchId, ended: new Set(ended), there: allThere(devices) };
    // What had ended before the page was opened is no news.
    const news = before ? ended.filter((card) => !before.ended.has(card)) : [];
    const arrived = before && !before.there && this.known.there ? 1 : 0;
    if (news.length + arrived === 0) return;
    this.call(this.waiting + news.length + arrived);
    const failed = rounds.some(({ id, cards }) =>
      cards.some(({ slotId, state }) => state === 'failed' && news.includes(`${id} ${slotId}`)),
    );
    if (this.settings()?.sound) sound(failed);
  }

  private call(count: number): void {
    this.waiting = count;
    this.title.setCalls(count);
  }
}
