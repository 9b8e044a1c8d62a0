import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { boardConfig, type VpnBoard } from '@nest-mark/core';
import { stepsOf } from '@nest-mark/core/bring-up';
import { noSandbox } from '../src/board/sandbox';
import {
  bring,
  startBoard,
  type Brought,
  type BringWishes,
  type StartedBoard,
} from './helpers/started-board';
import { tunnelKeys } from '../../core/test/helpers/tunnel-keys';
import { long } from '../../core/test/helpers/long';

/** The tunnel is set up on boards in scratch roots: their own package manager brings its programs. */

const whenSandbox = noSandbox() === null ? describe : describe.skip;
const steps = stepsOf({ without: [], own: [] }).filter(({ id }) => id === 'vpn');
const keys = tunnelKeys();
const tunnel: VpnBoard = {
  ...keys,
  address: '10.86.40.7',
  hubKey: tunnelKeys().publicKey,
  hub: '203.0.113.5',
  port: 51_820,
  network: '10.86.40.0/24',
  keepAlive: 25,
};
const expectedBy = (
  { expected }: StartedBoard,
  { privateKey: _, ...member }: VpnBoard,
): StartedBoard['expected'] => ({
  ...expected,
  vpn: { member, lacks: '' },
});

whenSandbox('the tunnel of a board', () => {
  let started: StartedBoard;
  afterEach(() => started.stop());
  const setUp = (more: BringWishes = {}, board = tunnel): Promise<Brought> =>
    bring(started, {
      steps,
      expected: expectedBy(started, board),
      vpnFile: boardConfig(board),
      ...more,
    });
  const onBoard = (script: string): Promise<void> =>
    started.system().does(`PATH=/usr/local/bin:$PATH; ${script}`);
  const file = (): Promise<string> => readFile(join(started.root, 'etc/wireguard/nest-mark.conf'), 'utf8');
  const asRoot = process.getuid?.() === 0;

  it('is set up once, started with each start, and seen again; its secret stands in no output', async () => {
    started = await startBoard('127.62.51');
    const { end, steps: notes, output } = await setUp();
    expect(end).toEqual({ state: 'ready', message: '' });
    expect(notes['vpn']).toMatchObject({ state: 'done', text: 'It opens the VPN as 10.86.40.7.' });
    expect(notes['vpn']!.findings.map(({ text }) => text)).toEqual(['It has not met the hub yet.']);
    expect(output).toContain('Setting up wireguard-tools');
    expect(output + JSON.stringify(notes)).not.toContain(keys.privateKey);
    if (asRoot) expect(await file()).toBe(boardConfig(tunnel));
    const again = await setUp();
    expect(again.steps['vpn']!.state).toBe('well');
    expect(again.output).toBe('');
    // After a start of the board it is there by itself.
    const reboot = stepsOf({ without: [], own: [] }).filter(({ id }) => id === 'reboot' || id === 'vpn');
    await onBoard('touch /run/reboot-required; echo "$(($(date +%s) - 5))" >/board/hub-met');
    const anew = await setUp({ steps: [...reboot].reverse() });
    expect(anew.steps).toMatchObject({ reboot: { state: 'done' }, vpn: { state: 'well', findings: [] } });
  });

  long('is put right where it is otherwise: another place, readable by others, not started', async () => {
    started = await startBoard('127.62.51');
    await setUp();
    const moved = { ...tunnel, address: '10.86.40.9', hub: '203.0.113.9' };
    expect((await setUp({}, moved)).steps['vpn']).toMatchObject({ state: 'done' });
    if (asRoot) expect(await file()).toBe(boardConfig(moved));
    for (const spoil of [
      'chmod 644 /etc/wireguard/nest-mark.conf',
      'systemctl disable wg-quick@nest-mark.service',
      'systemctl stop wg-quick@nest-mark.service',
      'rm /etc/wireguard/nest-mark.conf',
    ]) {
      await onBoard(spoil);
      expect([spoil, (await setUp({}, moved)).steps['vpn']!.state]).toEqual([spoil, 'done']);
    }
  });

  it('fails with a reason: a kernel without it, programs that cannot be fetched, a plan that is not whole', async () => {
    started = await startBoard('127.62.51');
    await bring(started, {
      steps: stepsOf({ without: [], own: [] }).filter(({ id }) => id === 'first-boot'),
    });
    await onBoard('mv /srv/repository /srv/elsewhere');
    expect((await setUp()).steps['vpn']).toMatchObject({
      state: 'failed',
      text: expect.stringMatching(/could not be fetched|ended with 100/) as string,
    });
    await onBoard('mv /srv/elsewhere /srv/repository; touch /board/no-tunnel');
    expect((await setUp()).steps['vpn']).toMatchObject({
      state: 'failed',
      text: 'The board’s kernel has no WireGuard. Update it, reboot, and try again.',
    });
    expect(
      (await setUp({ expected: { ...started.expected, vpn: { member: null, lacks: 'It has no hub.' } } }))
        .steps['vpn'],
    ).toMatchObject({ state: 'differs', text: 'It has no hub.' });
    await onBoard('rm /board/no-tunnel');
    expect((await setUp()).steps['vpn']!.state).toBe('done');
  });

  long(
    'is set up once where the line breaks in the middle, and where the power goes between file and start',
    async () => {
      started = await startBoard('127.62.51');
      let cut = false;
      const { end, output } = await setUp({
        onNote: (_stepId, { state }) => {
          if (state !== 'doing' || cut) return;
          cut = true;
          setTimeout(() => started.board.cutLines(), 300);
        },
      });
      expect(cut).toBe(true);
      expect(end).toEqual({ state: 'ready', message: '' });
      expect(output.match(/Setting up wireguard-tools/g) ?? []).toHaveLength(1);
      // The new file was put beside the old one, the service stopped, and then there was no power.
      const moved = { ...tunnel, address: '10.86.40.9' };
      await onBoard(
        `umask 077; sed 's/10.86.40.7/10.86.40.9/' /etc/wireguard/nest-mark.conf >/etc/wireguard/nest-mark.conf.new; systemctl stop wg-quick@nest-mark.service`,
      );
      expect((await setUp({}, moved)).steps['vpn']!.state).toBe('done');
      expect((await setUp({}, moved)).steps['vpn']!.state).toBe('well');
    },
  );
});
