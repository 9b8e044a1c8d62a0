import { TestBed } from '@angular/core/testing';
import { of, throwError, type Observable } from 'rxjs';
import { UPLOAD_PIECE, type Image, type Upload } from '@nest-mark/core';
import { CardsApi } from '../src/app/api/cards-api';
import { Uploader } from '../src/app/images/uploader';
import { imagesFeature } from '../src/app/state/images.reducer';
import { bench, failure } from './helpers/store';

const size = 2 * UPLOAD_PIECE + 5;
const file = new File([new Uint8Array(size)], 'marsh.img', { lastModified: 77 });
const upload = (received: number, image: Image | null = null): Upload => ({
  id: 'u',
  name: file.name,
  size,
  received,
  image,
});
const image = { id: 'i', state: 'checking', title: 'Marsh' } as Image;

/** A server that has some octets already and takes pieces, failing where it is told to. */
function server(received: number, failures: Record<number, () => Observable<never>> = {}) {
  const asked: string[] = [];
  let turn = 0;
  const api = {
    beginUpload: () => {
      asked.push('begin');
      return of(upload(received));
    },
    sendPiece: (_id: string, offset: number, piece: Blob) => {
      asked.push(`${String(offset)}+${String(piece.size)}`);
      const fail = failures[turn++];
      if (fail) return fail();
      received = offset + piece.size;
      return of(upload(received, received === size ? image : null));
    },
  };
  const { store } = bench(null, { provide: CardsApi, useValue: api });
  const uploader = TestBed.inject(Uploader);
  uploader.wait = () => Promise.resolve();
  return { store, asked, uploader };
}

describe('sending an image', () => {
  it('goes in pieces, and puts what came of it onto the shelf', async () => {
    const { store, asked, uploader } = server(0);
    await uploader.send(file, '', '');
    expect(asked).toEqual([
      'begin',
      `0+${String(UPLOAD_PIECE)}`,
      `${String(UPLOAD_PIECE)}+${String(UPLOAD_PIECE)}`,
      `${String(2 * UPLOAD_PIECE)}+5`,
    ]);
    expect(store.selectSignal(imagesFeature.selectList)()).toEqual([image]);
    expect(uploader.sending()).toBeNull();
  });

  it('goes on where the same file was broken off', async () => {
    const { asked, uploader } = server(2 * UPLOAD_PIECE);
    await uploader.send(file, '', '');
    expect(asked).toEqual(['begin', `${String(2 * UPLOAD_PIECE)}+5`]);
  });

  it('asks again where it stands when the line broke, and goes on by itself', async () => {
    const { asked, uploader } = server(0, { 1: () => throwError(() => failure('unreachable')) });
    await uploader.send(file, '', '');
    expect(asked.filter((one) => one === 'begin')).toHaveLength(2);
    expect(asked.at(-1)).toBe(`${String(2 * UPLOAD_PIECE)}+5`);
    expect(uploader.sending()).toBeNull();
  });

  it('stops with the reason when the server refuses', async () => {
    const { asked, uploader } = server(0, { 0: () => throwError(() => failure('disk-full')) });
    await uploader.send(file, '', '');
    expect(asked).toHaveLength(2);
    expect(uploader.sending()).toMatchObject({ state: 'failed', problem: { code: 'disk-full' } });
    uploader.stop();
    expect(uploader.sending()).toBeNull();
  });
});
