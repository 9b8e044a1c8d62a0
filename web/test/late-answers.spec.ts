import type { Image, Round, Search } from '@nest-mark/core';
import { imagesFeature, ImagesActions, type ImagesState } from '../src/app/state/images.reducer';
import { progressFeature, ProgressActions } from '../src/app/state/progress.reducer';
import { batchId } from './helpers/plan';
import { noProgress } from './helpers/progress';

/** A fast job ends before the answer to the request that started it has come; what ended stays ended. */
describe('an answer that comes after the event of the end', () => {
  const image = (state: Image['state'], message = ''): Image => ({
    id: '33333333-3333-4333-8333-333333333333',
    title: 'Letter',
    state,
    stations: [],
    message,
    addedAt: 1,
    packing: null,
    packedSize: null,
    packedSha256: null,
    rawSize: null,
    rawSha256: null,
    partitions: [],
    method: 'none',
    own: null,
    boot: null,
    detected: 'none',
    methodReason: '',
    about: { wordBits: null, flavour: null, chosenMethod: null, bootPartition: null },
    keptSize: null,
    unpacked: null,
    bootFiles: [],
    seen: [],
    system: null,
    address: null,
    fetched: null,
  });
  const images = imagesFeature.reducer;
  const list = (state: ImagesState) => imagesFeature.selectList.projector(state.shelf);
  const start = images(undefined, ImagesActions.listCame({ list: [] }));

  it('does not put an image back to being read', () => {
    const failed = image('failed', 'It has no partition table.');
    const told = images(start, ImagesActions.oneCame({ image: failed }));
    const answered = images(told, ImagesActions.oneCame({ image: image('checking') }));
    expect(list(answered)).toEqual([failed]);
    expect(list(images(told, ImagesActions.listCame({ list: [image('checking')] })))).toEqual([failed]);
  });

  it('still shows an image that is read, and then its end', () => {
    const reading = images(start, ImagesActions.oneCame({ image: image('checking') }));
    expect(list(reading)?.[0]?.state).toBe('checking');
    expect(list(images(reading, ImagesActions.oneCame({ image: image('ready') })))?.[0]?.state).toBe('ready');
  });

  const search = (state: Search['state']): Search => ({
    id: '44444444-4444-4444-8444-444444444444',
    batchId,
    station: 'test',
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
    station: 'test',
    begunBy: '',
    paused: false,
    state,
    startedAt: 1,
    endedAt: null,
    cards: [],
  });
  const progress = progressFeature.reducer;
  const empty = progress(
    undefined,
    ProgressActions.came({
      progress: {
        ...noProgress(batchId),
      },
    }),
  );

  it('does not put a search or a round back to the queue', () => {
    const done = progress(
      progress(empty, ProgressActions.searchCame({ search: search('done') })),
      ProgressActions.roundCame({ round: round('done') }),
    );
    const late = progress(
      progress(done, ProgressActions.searchCame({ search: search('queued') })),
      ProgressActions.roundCame({ round: round('running') }),
    );
    expect(late.progress?.search?.state).toBe('done');
    expect(late.progress?.rounds[0]?.state).toBe('done');
  });
});
