import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { screensOf, stepsOf } from '@nest-mark/core/bring-up';
import { noSandbox } from '../src/board/sandbox';
import {
  bring,
  startBoard,
  type Brought,
  type BringWishes,
  type StartedBoard,
} from './helpers/started-board';
import { long } from '../../core/test/helpers/long';

/** A remote screen is set up on boards in scratch roots, by their own package manager. */

const whenSandbox = noSandbox() === null ? describe : describe.skip;
const steps = stepsOf({ without: [], own: [] }).filter(
  ({ id }) => id === 'screen-set-up' || id === 'remote-screen',
);

whenSandbox('a remote screen of a board', () => {
  let started: StartedBoard;
  beforeEach(async () => {
    started = await startBoard('127.62.61');
    await bring(started, {
      steps: stepsOf({ without: [], own: [] }).filter(({ id }) => id === 'first-boot'),
    });
    await onBoard('mkdir -p /usr/local/share/xsessions; : >/usr/local/share/xsessions/reed.desktop');
  });
  afterEach(() => started.stop());
  const setUp = (more: BringWishes = {}): Promise<Brought> =>
    bring(started, { steps, expected: { ...started.expected, screen: true }, ...more });
  const onBoard = (script: string): Promise<void> =>
    started
      .system()
      .does(`PATH=/usr/local/bin:/usr/sbin:/sbin:$PATH; export DEBIAN_FRONTEND=noninteractive; ${script}`);
  const listens = async (): Promise<string[]> =>
    (await readFile(join(started.root, 'proc/net/tcp'), 'utf8')).match(/\w{8}:0D3D/g) ?? [];

  it('is set up once, is never open to others meanwhile, comes back with each start, and is offered as a file', async () => {
    const { end, steps: notes, output } = await setUp();
    expect(end).toEqual({ state: 'ready', message: '' });
    expect(notes['screen-set-up']).toMatchObject({
      state: 'done',
      text: 'Its remote screen is reached through its login.',
    });
    expect(output).toContain('Setting up xrdp');
    expect(await listens()).toEqual(['0100007F:0D3D']);
    const log = await readFile(join(started.root, 'var/log/xrdp.log'), 'utf8');
    expect(log).toBe('[INFO ] listening to port tcp://.:3389\n');
    expect(screensOf(notes['remote-screen']!.findings)).toEqual([3389]);
    const again = await setUp();
    expect(again.steps['screen-set-up']!.state).toBe('well');
    expect(again.output).toBe('');
    await onBoard('touch /run/reboot-required');
    const reboot = stepsOf({ without: [], own: [] }).filter(({ id }) => id === 'reboot');
    const anew = await setUp({ steps: [...reboot, ...steps] });
    expect(anew.steps).toMatchObject({ reboot: { state: 'done' }, 'screen-set-up': { state: 'well' } });
    expect(await listens()).toEqual(['0100007F:0D3D']);
  });

  long(
    'is bound to the board where somebody installed it open to all, and keeps the ports of its sessions',
    async () => {
      await onBoard('apt-get -q update && apt-get -y -q install xrdp xorgxrdp');
      expect(await listens()).toEqual(['00000000:0D3D']);
      const asked = await bring(started, { steps });
      expect(asked.steps['screen-set-up']!.state).toBe('well');
      expect(asked.steps['remote-screen']!.state).toBe('differs');
      expect((await setUp()).steps['screen-set-up']).toMatchObject({ state: 'done' });
      expect(await listens()).toEqual(['0100007F:0D3D']);
      const settings = await readFile(join(started.root, 'etc/xrdp/xrdp.ini'), 'utf8');
      expect(settings.match(/^port=.*$/gm)).toEqual(['port=tcp://.:3389', 'port=-1', 'port=ask3389']);
      for (const spoil of [
        'systemctl stop xrdp.service',
        'systemctl disable xrdp.service',
        'systemctl mask xrdp.service',
        'rm /etc/xrdp/xrdp.ini.new /etc/xrdp/xrdp.ini; apt-get -y -q -o Dpkg::Options::=--force-confmiss --reinstall install xrdp',
      ]) {
        await onBoard(spoil);
        expect([spoil, (await setUp()).steps['screen-set-up']!.state]).toEqual([spoil, 'done']);
      }
    },
  );

  it('fails with a reason where it cannot be fetched, and is set up once where the line breaks in the middle', async () => {
    await onBoard('mv /srv/repository /srv/elsewhere');
    expect((await setUp()).steps['screen-set-up']).toMatchObject({
      state: 'failed',
      text: expect.stringMatching(/could not be fetched|ended with 100/) as string,
    });
    await onBoard('mv /srv/elsewhere /srv/repository');
    let cut = false;
    const { end, output } = await setUp({
      onNote: (stepId, { state }) => {
        if (stepId !== 'screen-set-up' || state !== 'doing' || cut) return;
        cut = true;
        setTimeout(() => started.board.cutLines(), 300);
      },
    });
    expect(cut).toBe(true);
    expect(end).toEqual({ state: 'ready', message: '' });
    expect(output.match(/Setting up xrdp/g) ?? []).toHaveLength(1);
  });
});
