import { deserialize, serialize } from 'node:v8';
import { emptyNetwork, shippedBoards, type ForecastInput } from '@nest-mark/core';
import { answerForecast } from '../src/app/workers/forecast.answer';
import { bounded } from '../src/app/plan/numeric';
import { FileError, textOfFile } from '../src/app/ui/files';
import { tankPlan } from './helpers/plan';

const imageId = '6f1f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a10';
const input = (count: number): ForecastInput => ({
  plan: { ...tankPlan(count), imageId },
  images: [{ id: imageId, rawSize: 1e9 }],
  networks: [{ ...emptyNetwork(''), id: 'n' }],
  boards: shippedBoards,
  rates: [],
});

describe('the forecast in the worker', () => {
  it('answers with the turn that it was asked in, the forecast and what would help', () => {
    let now = 0;
    const answer = answerForecast({ turn: 7, input: input(12), desktop: false }, () => (now += 5));
    if (!answer.ok) throw new Error(answer.message);
    expect([answer.turn, answer.milliseconds, answer.forecast.rounds]).toEqual([7, 5, 3]);
    expect(answer.whatIfs.length).toBeGreaterThan(2);
    // It has to survive the way from the worker to the page.
    expect(deserialize(serialize(answer))).toEqual(answer);
  });

  it('says what is missing in a sentence', () => {
    const answer = answerForecast({ turn: 1, input: { ...input(2), images: [] }, desktop: false }, () => 0);
    expect(answer).toMatchObject({
      ok: false,
      message: expect.stringContaining('Choose an image') as string,
    });
  });
});

describe('numbers that are being typed', () => {
  it.each([
    [5, 5],
    [0, 0],
    [10, 10],
    [-1, null],
    [11, null],
    [NaN, null],
    [Infinity, null],
    [null, null],
    ['5', null],
  ])('%s within 0 and 10: %s', (value, expected) => {
    expect(bounded(value, 0, 10)).toBe(expected);
  });
});

describe('text files', () => {
  const file = (bytes: number[], size = bytes.length): File =>
    ({ name: 'list.csv', size, arrayBuffer: () => Promise.resolve(Uint8Array.from(bytes).buffer) }) as File;

  it('are read as UTF-8, and as UTF-16 where their mark says so', async () => {
    expect(await textOfFile(file([0xc3, 0x98]))).toBe('Ø');
    expect(await textOfFile(file([0xff, 0xfe, 0x41, 0x00]))).toBe('A');
    expect(await textOfFile(file([0xfe, 0xff, 0x00, 0x41]))).toBe('A');
  });

  it('are refused with a sentence when they are none', async () => {
    await expect(textOfFile(file([0xd8, 0x00]))).rejects.toThrow(FileError);
    await expect(textOfFile(file([0xd8, 0x00]))).rejects.toThrow('Save it as UTF-8');
    await expect(textOfFile(file([0x41], 9e6))).rejects.toThrow('larger than 8 MB');
  });
});
