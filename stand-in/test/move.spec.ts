import { readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { preSharedKey, utf8, toHex, wifiProfile, type BoardMoveState } from '@nest-mark/core';
import type { NewNetwork } from '@nest-mark/core/moving';
import { moveBoard, takeOff, usualPatience, type BoardMoved, type MoveWork } from '@nest-mark/station';
import { noSandbox } from '../src/board/sandbox';
import { benchKey, startBoard, type BoardWishes, type StartedBoard } from './helpers/started-board';
import { long } from '../../core/test/helpers/long';

/** Boards move to another network and come back by themselves, in scratch roots and by their own timers. */

const whenSandbox = noSandbox() === null ? describe : describe.skip;
const id = '5b0e2c1a-8a0f-4f0e-9a36-2f1d7c3b9e10';

const networkOf = (ssid: string, passphrase: string): NewNetwork => {
  const name = utf8(ssid);
  const key = preSharedKey(name, passphrase);
  return {
    moveId: id,
    uuid: id,
    ssidHex: toHex(name),
    hidden: false,
    security: 'wpa2-psk',
    key,
    keyfile: wifiProfile(
      { ssid: name, security: 'wpa2-psk', hidden: false, key, priority: 0 },
      { id: 'nest-mark-move', uuid: id, auto: false },
    ),
  };
};

interface Moved {
  end: BoardMoved;
  states: BoardMoveState[];
  output: string;
}

whenSandbox('a board that moves', () => {
  let started: StartedBoard;
  afterEach(() => started.stop());

  const begin = async (wishes: BoardWishes = {}): Promise<void> => {
    started = await startBoard('127.62.71', { other: { on: true }, ...wishes });
    for (let tries = 0; started.board.view.phase !== 'online' && tries < 600; tries++)
      await new Promise((resolve) => setTimeout(resolve, 50));
  };

  const workOf = (noted: (state: BoardMoveState) => void, told: (text: string) => void): MoveWork => ({
    login: {
      user: 'keeper',
      key: benchKey.privateText,
      agent: null,
      password: null,
      byPassword: false,
    },
    secrets: [],
    network: networkOf(started.other.ssid, started.other.passphrase),
    priority: 25,
    returnSeconds: 20,
    trialSeconds: 20,
    now: true,
    isNew: (address) => address.startsWith(`${started.other.network}.`),
    place: () => Promise.resolve(started.place()),
    seek: () => Promise.resolve(),
    seekNew: () => Promise.resolve(),
    note: (state) => {
      noted(state);
      return Promise.resolve();
    },
    told,
    signal: new AbortController().signal,
    patience: { ...usualPatience, away: 60, look: 0.1 },
  });

  const move = async (more: Partial<MoveWork> = {}): Promise<Moved> => {
    const states: BoardMoveState[] = [];
    let output = '';
    const work = workOf(
      (state) => states.push(state),
      (text) => {
        output += text;
      },
    );
    const end = await moveBoard({ ...work, ...more });
    return { end, states, output };
  };
  const profiles = (): Promise<string[]> =>
    readdir(join(started.root, 'etc/NetworkManager/system-connections')).then((all) => all.sort());
  const profile = (): Promise<string> =>
    readFile(
      join(started.root, `etc/NetworkManager/system-connections/nest-mark-${id}.nmconnection`),
      'utf8',
    );
  const kept = `nest-mark-${id}.nmconnection`;
  const asRoot = process.getuid?.() === 0;
  const onBoard = (script: string): Promise<void> =>
    started.system().does(`PATH=/usr/local/bin:$PATH; ${script}`);
  const address = (): string => started.board.view.address ?? '';

  long(
    'forgets its old network when it is asked to, and only where it says itself that it is on the new one',
    async () => {
      await begin();
      const forget = (): Promise<BoardMoved> => {
        const work = workOf(
          () => undefined,
          () => undefined,
        );
        return takeOff({ ...work, oldHex: toHex(utf8('Saltmarsh Bench')) });
      };
      // Where it is now it would be cut off for good.
      expect(await forget()).toEqual({
        state: 'hand',
        message: 'It was not proved on the new network: look for it there first.',
      });
      expect((await move()).end.state).toBe('moved');
      // An address of the new network is not enough.
      const { network } = workOf(
        () => undefined,
        () => undefined,
      );
      const stranger = { ...network, uuid: '00000000-0000-4000-8000-000000000009', ssidHex: 'aa' };
      expect(
        await takeOff({
          ...workOf(
            () => undefined,
            () => undefined,
          ),
          network: stranger,
          oldHex: toHex(utf8('Saltmarsh Bench')),
        }),
      ).toMatchObject({ state: 'hand', message: expect.stringContaining('does not say itself') as string });
      expect(await profiles()).toEqual([kept, 'practice-1.nmconnection']);
      expect(await forget()).toEqual({
        state: 'alone',
        message: 'The old network is off it; the new one stays.',
      });
      expect(await profiles()).toEqual([kept]);
      expect(await forget()).toEqual({ state: 'alone', message: 'The old network was off it already.' });
      expect(address()).toMatch(`${started.other.network}.`);
      // Nor does it come back with a start.
      await onBoard('systemctl reboot');
      for (let tries = 0; address() !== '' && tries < 600; tries++)
        await new Promise((resolve) => setTimeout(resolve, 50));
      for (let tries = 0; !address().startsWith(started.other.network) && tries < 600; tries++)
        await new Promise((resolve) => setTimeout(resolve, 50));
      expect(address()).toMatch(`${started.other.network}.`);
    },
  );

  it('is tried, armed, switched over, proved and kept; its old network stays, below the new one', async () => {
    await begin();
    const { end, states } = await move();
    expect(end).toEqual({
      state: 'moved',
      message: 'It was proved on the new network by its host key, and stays.',
    });
    expect(states).toEqual(['looking', 'adding', 'trying', 'switching', 'proving', 'keeping']);
    expect(address()).toMatch(`${started.other.network}.`);
    expect(await profiles()).toEqual([kept, 'practice-1.nmconnection']);
    if (asRoot)
      expect(await profile()).toMatch(
        /autoconnect-priority=25[^]*autoconnect=true|autoconnect=true[^]*autoconnect-priority=25/,
      );
    // It goes there with each start.
    await onBoard('systemctl reboot');
    for (let tries = 0; !address().startsWith(started.other.network) && tries < 600; tries++)
      await new Promise((resolve) => setTimeout(resolve, 50));
    expect(address()).toMatch(`${started.other.network}.`);
    // Asked once more it is seen to be there.
    expect((await move()).end).toMatchObject({ state: 'moved' });
  });

  it('comes back at once where the key is refused, and nothing of the new network is left on it', async () => {
    await begin({ fault: 'mangles-key' });
    const before = address();
    const { end } = await move({ returnSeconds: 600 });
    expect(end).toMatchObject({
      state: 'came-back',
      message: expect.stringMatching(/could not be proved.*on the old network again/) as string,
    });
    expect(address()).toBe(before);
    expect(await profiles()).toEqual(['practice-1.nmconnection']);
  });

  it('comes back by its own timer where the bench cannot reach it on the new network', async () => {
    await begin({ other: { on: true, apart: true } });
    const before = address();
    const { end } = await move({ returnSeconds: 8 });
    expect(end.state).toBe('came-back');
    expect(address()).toBe(before);
    expect(await profiles()).toEqual(['practice-1.nmconnection']);
  });

  long(
    'is not kept by an address alone: where both networks have the same range, the board itself says where it is',
    async () => {
      await begin({ other: { on: true, apart: true } });
      const before = address();
      const { end, states } = await move({ returnSeconds: 8, isNew: () => true });
      expect(end.state).toBe('came-back');
      expect(states).not.toContain('keeping');
      expect(address()).toBe(before);
      expect(await profiles()).toEqual(['practice-1.nmconnection']);
      // Nor is one that was kept once and is on the old network again said to be there.
      started.other.apart = false;
      expect((await move()).end.state).toBe('moved');
      started.other.on = false;
      started.board.airChanged();
      for (let tries = 0; address() !== before && tries < 600; tries++)
        await new Promise((resolve) => setTimeout(resolve, 50));
      expect((await move({ isNew: () => true })).end.state).toBe('came-back');
    },
  );

  it('starts on its old network where the power goes before it was proved', async () => {
    await begin({ other: { on: true, apart: true } });
    const before = address();
    const stop = new AbortController();
    const moving = move({
      returnSeconds: 600,
      signal: stop.signal,
      seekNew: async () => {
        // It has gone over: now the power is cut, and given again.
        if (started.board.view.reason.includes('cannot reach it there')) {
          await onBoard('systemctl reboot');
          stop.abort();
        }
      },
    });
    expect((await moving).end.state).toBe('stopped');
    for (let tries = 0; address() === '' && tries < 600; tries++)
      await new Promise((resolve) => setTimeout(resolve, 50));
    expect(address()).toBe(before);
    // Whoever goes on sees it, takes the rest of it off, and begins anew.
    started.other.apart = false;
    const { end, states } = await move();
    expect(end.state).toBe('moved');
    expect(states).toContain('trying');
    expect(await profiles()).toEqual([kept, 'practice-1.nmconnection']);
  });

  it('goes on where the bench died between the switch and the proof', async () => {
    await begin();
    const stop = new AbortController();
    const first = move({
      returnSeconds: 600,
      signal: stop.signal,
      seekNew: () => {
        if (address().startsWith(started.other.network)) stop.abort();
        return Promise.resolve();
      },
      // Nobody sees it there.
      isNew: () => false,
    });
    expect((await first).end.state).toBe('stopped');
    const { end, states } = await move();
    expect(end.state).toBe('moved');
    expect(states).toEqual(['looking', 'keeping']);
  });

  it('keeps both where this computer does not reach the new network, and comes over when the old one ends', async () => {
    await begin({ other: { on: false } });
    const before = address();
    const { end } = await move({ now: false });
    expect(end.state).toBe('waits');
    expect(address()).toBe(before);
    started.other.on = true;
    started.air.on = false;
    started.board.airChanged();
    for (let tries = 0; !address().startsWith(started.other.network) && tries < 600; tries++)
      await new Promise((resolve) => setTimeout(resolve, 50));
    expect(address()).toMatch(`${started.other.network}.`);
  });

  long('is put above whatever the board has saved, and refuses what cannot be undone', async () => {
    await begin();
    await started
      .system()
      .does(
        `sed -i 's/^autoconnect-priority=.*/autoconnect-priority=70/' /etc/NetworkManager/system-connections/practice-1.nmconnection`,
      );
    expect((await move()).end.state).toBe('moved');
    if (asRoot) expect(await profile()).toContain('autoconnect-priority=71\n');
  });

  it('stays where it is, with a reason, where its timers start nothing or nobody may become root', async () => {
    await begin();
    await started
      .system()
      .does(
        `sed -i 's/^if \\[ -z "$on" \\]; then/[ -n "$on" ] || &/; /timer $unit/s/echo "timer.*"/:/' /usr/local/bin/systemd-run`,
      );
    const before = address();
    const { end } = await move({ trialSeconds: 3 });
    expect(end).toMatchObject({ state: 'hand', message: expect.stringMatching(/timer/) as string });
    expect(address()).toBe(before);
    expect(await profiles()).toEqual(['practice-1.nmconnection']);
  });
});
