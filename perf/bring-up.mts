import pLimit from 'p-limit';
import { stepsOf } from '@nest-mark/core/bring-up';
import { bring, startBoard, type StartedBoard } from '../stand-in/test/helpers/started-board';
import { seconds, type Result } from './measure.mjs';

const boards = 50;
/** As the plan's default. */
const atOnce = 8;

/** Fifty practice boards are asked everything of two steps: one login and one script for each kind of right a board. */
export async function bringUps(): Promise<Result[]> {
  const all = stepsOf({ without: [], own: [] });
  const asks = all.filter(({ id }) => id === 'as-planned' || id === 'health');
  const started: StartedBoard[] = [];
  const limit = pLimit(atOnce);
  try {
    for (let nth = 1; nth <= boards; nth++) started.push(await startBoard(`127.88.${String(nth)}`));
    // Their systems are made at the first login.
    await Promise.all(
      started.map((board) =>
        limit(() => bring(board, { steps: all.filter(({ id }) => id === 'first-boot') })),
      ),
    );
    const before = process.cpuUsage();
    const begun = performance.now();
    const ends = await Promise.all(started.map((board) => limit(() => bring(board, { steps: asks }))));
    const took = performance.now() - begun;
    const { user, system } = process.cpuUsage(before);
    const well = ends.filter(({ end }) => end.state === 'ready').length;
    return [
      {
        what: `${String(boards)} boards asked whether they are as planned and well, ${String(atOnce)} at once; ${String(well)} answered`,
        figure: seconds(took),
        bound: '5 s',
      },
      {
        // The rest is the boards' own work, which real boards do themselves.
        what: 'of it, work of the process that asks and of the stand-ins’ login services in it',
        figure: seconds((user + system) / 1000),
        bound: '',
      },
      {
        what: 'memory of the process that asks, with the stand-in boards in it',
        figure: `${String(Math.round(process.memoryUsage().rss / 1e6))} MB`,
        bound: '400 MB',
      },
    ];
  } finally {
    await Promise.all(started.map((board) => board.stop()));
  }
}
