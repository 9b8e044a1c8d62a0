import { bring, startBoard, type StartedBoard } from './helpers/started-board';
import { noSandbox } from '../src/board/sandbox';

/** Boards in scratch roots are brought up over real logins; their package manager is the workstation's own. */

const whenSandbox = noSandbox() === null ? describe : describe.skip;

whenSandbox('a board that is brought up', () => {
  let started: StartedBoard;
  afterEach(() => started.stop());

  it('goes from proved to shut down, each step asked before and after', async () => {
    started = await startBoard('127.62.41');
    const { end, steps, output, phases } = await bring(started);
    console.log(JSON.stringify(steps, null, 1), output, phases.join());
    expect(end).toEqual({ state: 'ready', message: '' });
  });
});
