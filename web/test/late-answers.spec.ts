import type { Image, Round, Scan } from '@nest-mark/core';
import { imagesFeature, ImagesActions } from '../src/app/state/images.reducer';
import { progressFeature, ProgressActions } from '../src/app/state/progress.reducer';
import { batchId } from './helpers/plan';

/** A fast job ends before the answer to the request that started it has come; what ended stays ended. */
describe('an answer that comes after the event of the end', () => {
  const image = (state: Image['state'], message = ''): Image => ({
    id: '33333333-3333-4333-8333-333333333333',
    title: 'Letter',
    state,
    message,
    addedAt: 1,
    packing: null,
    packedSize: null,
    packedSha256: null,
    rawSize: null,
    rawSha256: null,
    partitions: [],
    method: 'none',
    detected: 'none',
    methodReason: '',
    about: { wordBits: null, flavour: null, chosenMethod: null },
    keptSize: null,
    unpacked: null,
    bootFiles: [],
    seen: [],
  });
  const images = imagesFeature.reducer;
  const start = images(undefined, ImagesActions.listCame({ list: [] }));

  it('does not put an image back to being read', () => {
    const failed = image('failed', 'It has no partition table.');
    const told = images(start, ImagesActions.oneCame({ image: failed }));
    const answered = images(told, ImagesActions.oneCame({ image: image('checking') }));
    expect(answered.list).toEqual([failed]);
    expect(images(told, ImagesActions.listCame({ list: [image('checking')] })).list).toEqual([failed]);
  });

  it('still shows an image that is read, and then its end', () => {
    const reading = images(start, ImagesActions.oneCame({ image: image('checking') }));
    expect(reading.list?.[0]?.state).toBe('checking');
    expect(images(reading, ImagesActions.oneCame({ image: image('ready') })).list?.[0]?.state).toBe('ready');
  });

  const scan = (state: Scan['state']): Scan => ({
    id: '44444444-4444-4444-8444-444444444444',
    batchId,
    subnet: '127.1.2.0/24',
    port: 2222,
    state,
    done: 0,
    total: 254,
    message: '',
    at: 1,
  });
  const round = (state: Round['state']): Round => ({
    id: '55555555-5555-4555-8555-555555555555',
    batchId,
    number: 1,
    paused: false,
    state,
    startedAt: 1,
    endedAt: null,
    cards: [],
  });
  const progress = progressFeature.reducer;
  const empty = progress(
    undefined,
    ProgressActions.came({ progress: { batchId, devices: [], strangers: [], rounds: [], scan: null } }),
  );

  it('does not put a search or a round back to the queue', () => {
    const done = progress(
      progress(empty, ProgressActions.scanCame({ scan: scan('done') })),
      ProgressActions.roundCame({ round: round('done') }),
    );
    const late = progress(
      progress(done, ProgressActions.scanCame({ scan: scan('queued') })),
      ProgressActions.roundCame({ round: round('running') }),
    );
    expect(late.progress?.scan?.state).toBe('done');
    expect(late.progress?.rounds[0]?.state).toBe('done');
  });
});
