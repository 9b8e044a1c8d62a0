import type { Action } from '@ngrx/store';
import { BehaviorSubject, Subject, throwError, type Observable } from 'rxjs';
import { againAfterMs } from '../src/app/state/asked';
import { SAVE_AFTER, savedInTurn } from '../src/app/state/typed';
import { failure } from './helpers/store';

/** What is typed is saved to what it was typed into, whatever is opened meanwhile. */

interface Thing {
  id: string;
  version: number;
}
const a = { id: 'a', version: 1 };
const b = { id: 'b', version: 7 };

describe('saving what is typed', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  function wired(answers?: (thing: Thing) => Observable<Thing> | null) {
    const edits = new Subject<readonly [string, Thing]>();
    const current = new BehaviorSubject<Thing | null>(a);
    const sent: { to: string; version: number; text: string; answer: Subject<Thing> }[] = [];
    const told: Action[] = [];
    savedInTurn(edits, {
      key: ({ id }: Thing) => id,
      current,
      save: (to, text: string) => {
        const answer = new Subject<Thing>();
        sent.push({ to: to.id, version: to.version, text, answer });
        return answers?.(to) ?? answer;
      },
      saved: (text, thing) => ({ type: `saved ${text} ${thing.id}${String(thing.version)}` }),
      refused: (problem) => ({ type: `refused ${problem.code}` }),
    }).subscribe((action) => told.push(action));
    const answer = (index: number): void => {
      const { to, version, answer: subject } = sent[index]!;
      subject.next({ id: to, version: version + 1 });
      subject.complete();
    };
    return { edits, current, sent, told, answer };
  }
  const texts = (sent: { to: string; version: number; text: string }[]): unknown[] =>
    sent.map(({ to, version, text }) => [to, version, text]);

  it('waits for a pause, and sends the newest', () => {
    const { edits, sent } = wired();
    for (const text of ['M', 'Ma', 'Mar']) {
      edits.next([text, a]);
      jest.advanceTimersByTime(SAVE_AFTER - 1);
    }
    expect(sent).toEqual([]);
    jest.advanceTimersByTime(1);
    expect(texts(sent)).toEqual([['a', 1, 'Mar']]);
  });

  it('sends nothing of one batch to the one that was opened in the pause, and loses neither', () => {
    const { edits, current, sent } = wired();
    edits.next(['for a', a]);
    current.next(b);
    edits.next(['for b', b]);
    jest.advanceTimersByTime(SAVE_AFTER);
    expect(texts(sent)).toEqual([
      ['a', 1, 'for a'],
      ['b', 7, 'for b'],
    ]);
  });

  it('saves on top of what the save before it made, also when that is not shown any more', () => {
    const { edits, current, sent, answer } = wired();
    edits.next(['one', a]);
    jest.advanceTimersByTime(SAVE_AFTER);
    edits.next(['two', a]);
    jest.advanceTimersByTime(SAVE_AFTER);
    current.next(b);
    expect(sent).toHaveLength(1);
    answer(0);
    expect(texts(sent)).toEqual([
      ['a', 1, 'one'],
      ['a', 2, 'two'],
    ]);
  });

  it('goes on by itself when the server was away', () => {
    let away = true;
    const { edits, sent, told } = wired(() => (away ? throwError(() => failure('unreachable')) : null));
    edits.next(['kept', a]);
    jest.advanceTimersByTime(SAVE_AFTER);
    expect(told.map(({ type }) => type)).toEqual(['refused unreachable']);
    away = false;
    jest.advanceTimersByTime(againAfterMs);
    expect(texts(sent)).toEqual([
      ['a', 1, 'kept'],
      ['a', 1, 'kept'],
    ]);
  });
});
